/** What was pressed may go, and the keyboard's place with it: what comes instead takes it. */

import { useEffect, useRef } from "react";

/** A place for the keyboard, taken when it comes and nothing else has it. The element needs tabIndex -1. */
export function useFocusIfLost<E extends HTMLElement>() {
  const place = useRef<E>(null);
  useEffect(() => {
    if (document.activeElement === document.body) place.current?.focus({ preventScroll: true });
  }, []);
  return place;
}
