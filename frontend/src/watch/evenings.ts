/** Evenings as the server has them, asked for anew when it says that they changed; and which of them is shown. */

import { LOCALE } from "../text/text";
import { useEffect, useState } from "react";
import { create } from "zustand";
import { type Anchor, askEvenings, fetchEvenings, type KeptEvening } from "../api/client";
import { did, useLive } from "../live/store";

type Shown = { shown: string; deleted: { id: string; title: string } | null };
const useChoice = create<Shown>(() => ({ shown: "", deleted: null }));

export const useShownEvening = () => useChoice((choice) => choice.shown);
export const showEvening = (shown: string) => useChoice.setState({ shown });
export const useDeletedEvening = () => useChoice((choice) => choice.deleted);

/** Delete the evening that is shown; it can be brought back from the list. */
export async function deleteEvening(id: string, title: string) {
  if (await did(askEvenings(`/${id}`, "DELETE"))) {
    useChoice.setState({ shown: "", deleted: { id, title } });
  }
}

export async function bringBackEvening(id: string) {
  if (await did(askEvenings(`/${id}/restore`, "POST"))) useChoice.setState({ deleted: null });
}

/** What is fetched from a path of the evenings' interface, and why it could not be; fetched again when `again` changes, and every
 * `everyMs` if that is not 0. */
export function useEvenings<Kind>(path: string, again: unknown, everyMs = 0) {
  const [found, setFound] = useState<Kind | null>(null);
  const [trouble, setTrouble] = useState("");
  useEffect(() => {
    let isWanted = true;
    const load = () =>
      fetchEvenings<Kind>(path).then(
        (reply) => {
          if (!isWanted) return;
          setFound(reply);
          setTrouble("");
        },
        (error: Error) => isWanted && setTrouble(error.message),
      );
    void load();
    const timer = everyMs ? window.setInterval(() => void load(), everyMs) : 0;
    return () => {
      isWanted = false;
      window.clearInterval(timer);
    };
  }, [path, again, everyMs]);
  return { found, trouble };
}

export function useKeptEvenings() {
  const changes = useLive((live) => live.watch?.changes);
  const { found, trouble } = useEvenings<KeptEvening[]>("", changes);
  return { kept: found?.filter((one) => one.is_over) ?? null, trouble };
}

const DAY = new Intl.DateTimeFormat(LOCALE, { day: "numeric", month: "short" });
const TIME = new Intl.DateTimeFormat(LOCALE, {
  hour: "2-digit",
  minute: "2-digit",
  hourCycle: "h23",
});

/** The day of a broadcast: "Nov 24". */
export const dayOf = (utc: string) => DAY.format(new Date(utc));

/** A time of the day at a second of a broadcast, by the computer's clock at that time: "21:24". */
export function timeOf(anchors: Anchor[], atS: number): string {
  const anchor = anchors.findLast(({ at_s }) => at_s <= atS) ?? anchors[0];
  if (!anchor) return "";
  return TIME.format(new Date(new Date(anchor.utc).getTime() + (atS - anchor.at_s) * 1000));
}
