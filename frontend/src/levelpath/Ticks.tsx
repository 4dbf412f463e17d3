/** Ticks of the present levels, one at each station. They are elements that are moved, because a canvas would be drawn again each time. */

import { useEffect, useRef } from "react";
import { readings } from "../live/readings";
import { TICKS_MS } from "../ui/drawing";
import { drawing } from "../ui/Picture";
import { BOTTOM_DB, yOf, type Frame } from "./scale";

type Mark = { meter: string; x: number; wide: number };

export function Ticks({ marks, frame }: { marks: Mark[]; frame: Frame }) {
  const place = useRef<HTMLDivElement>(null);
  const newest = useRef({ marks, frame });
  useEffect(() => {
    newest.current = { marks, frame };
  });
  useEffect(() => {
    const draw = () => {
      newest.current.marks.forEach(({ meter }, i) => {
        const tick = place.current?.children[i];
        if (!(tick instanceof HTMLElement)) return;
        const peak = readings.levels ? readings.livePeak(meter) : -Infinity;
        const isSeen = peak > BOTTOM_DB;
        tick.style.opacity = isSeen ? "1" : "0";
        if (isSeen)
          tick.style.transform = `translateY(${Math.round(yOf(peak, newest.current.frame))}px)`;
      });
    };
    drawing.withNews(draw, TICKS_MS);
    return () => drawing.forget(draw);
  }, []);
  return (
    <div ref={place} aria-hidden className="pointer-events-none absolute inset-0 overflow-hidden">
      {marks.map(({ meter, x, wide }) => (
        <span
          key={meter}
          className="absolute -top-px h-[2.5px] bg-text opacity-0 will-change-transform"
          style={{ left: x - wide / 2, width: wide }}
        />
      ))}
    </div>
  );
}
