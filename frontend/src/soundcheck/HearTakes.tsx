/** A take, raw or behind the suggested chain, at equal loudness: both play, one is heard. */

import { Play, Square } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import type { TakeKind } from "../api/client";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Select } from "../ui/Select";
import { TAKES } from "./takes";
import { t } from "../text/text";

const SIDES = [
  { value: "before", label: t("soundcheck.before") },
  { value: "after", label: t("soundcheck.after") },
];
const VOICES: TakeKind[] = ["low", "usual", "big"];

export function HearTakes({ serial }: { serial: number }) {
  const [kind, setKind] = useState<TakeKind>("usual");
  const [side, setSide] = useState("after");
  const [isPlaying, setPlaying] = useState(false);
  const before = useRef<HTMLAudioElement>(null);
  const after = useRef<HTMLAudioElement>(null);

  useEffect(() => {
    for (const one of [before.current, after.current]) {
      if (!one) continue;
      if (isPlaying) {
        one.currentTime = 0;
        void one.play().catch(() => setPlaying(false));
      } else one.pause();
    }
  }, [isPlaying, kind, serial]);

  const source = (of: string) => `/api/sound-check/sound/${serial}/${kind}/${of}`;
  return (
    <section aria-label={t("soundcheck.playTheTakes")} className="flex items-center gap-1.5">
      <audio ref={before} src={source("before")} muted={side !== "before"} preload="auto" loop />
      <audio ref={after} src={source("after")} muted={side !== "after"} preload="auto" loop />
      <Select
        label={t("soundcheck.takeToPlay")}
        value={kind}
        groups={[{ options: VOICES.map((one) => ({ value: one, label: TAKES[one].name })) }]}
        onChange={setKind}
      />
      <Choice label={t("soundcheck.version")} value={side} options={SIDES} onChange={setSide} />
      <Button
        className="flex items-center gap-1.5"
        title={t("soundcheck.bothAreMatchedInLoudness")}
        onClick={() => setPlaying(!isPlaying)}
      >
        {isPlaying ? <Square size={13} /> : <Play size={13} />}
        {isPlaying ? t("soundcheck.stop") : t("soundcheck.play")}
      </Button>
    </section>
  );
}
