/** The loop: a piece of your own voice that plays through the chain while both hands are free. */

import { Repeat } from "lucide-react";
import { useState } from "react";
import type { LoopState } from "../api/client";
import { ask } from "../live/link";
import { useSound } from "../live/sound";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Select } from "../ui/Select";
import { signless } from "../units/format";
import { t } from "../text/text";

const LENGTHS_S = [5, 10, 20, 30, 60];

export function LoopBar() {
  const loop = useLive((live) => live.state?.loop);
  const isReady = useLive((live) => live.state?.is_engine_running ?? false);
  const [seconds, setSeconds] = useState(10);
  if (!loop) return null;
  if (loop.is_recording) {
    return (
      <section
        aria-label={t("chain.loop")}
        role="status"
        className="ml-auto flex items-center gap-2.5"
      >
        <p className="text-[13px]">
          {t("chain.speakNowGoshawkRecordsSeconds", { seconds: loop.duration_s.toFixed(0) })}
        </p>
        <Button onClick={() => ask({ type: "loop_stop" })}>{t("chain.cancel")}</Button>
      </section>
    );
  }
  if (loop.is_on) return <Playing loop={loop} />;
  return (
    <section aria-label={t("chain.loop")} className="ml-auto flex items-center gap-1.5">
      <Repeat size={15} aria-hidden className="text-quiet" />
      <Select
        label={t("chain.loopLength")}
        value={String(seconds)}
        groups={[{ options: LENGTHS_S.map((s) => ({ value: String(s), label: `${s} s` })) }]}
        onChange={(value) => setSeconds(Number(value))}
      />
      <Button
        disabled={!isReady}
        title={t("chain.loopsWhatYouSaidLast")}
        onClick={() => ask({ type: "loop_last", seconds })}
      >
        {t("chain.loopTheLast")}
      </Button>
      <Button
        disabled={!isReady}
        title={t("chain.recordANewPhraseAnd")}
        onClick={() => ask({ type: "loop_new", seconds })}
      >
        {t("chain.recordANewOne")}
      </Button>
    </section>
  );
}

function Playing({ loop }: { loop: LoopState }) {
  const isListening = useSound((sound) => sound.isListening);
  const gain = loop.gains_db[loop.heard];
  const options: { value: LoopState["heard"]; label: string }[] = [
    { value: "chain", label: t("chain.chainA") },
    { value: "raw", label: t("chain.raw") },
  ];
  if (loop.has_other) options.push({ value: "other", label: t("chain.chainB") });
  return (
    <section aria-label={t("chain.loop")} className="ml-auto flex flex-wrap items-center gap-1.5">
      <p role="status" className="text-[13px]">
        <strong>{t("chain.secondsSLoop", { seconds: loop.duration_s.toFixed(0) })}</strong>
        {isListening ? t("chain.heardOnlyByYou") : t("chain.pressListenToHearIt")}
      </p>
      <Choice
        label={t("chain.hearTheLoopThrough")}
        value={loop.heard}
        options={options}
        onChange={(heard) => ask({ type: "loop_hear", heard })}
      />
      <span
        className="figures w-[74px] text-xs text-quiet"
        title={t("chain.allVersionsAreMatchedIn")}
      >
        {gain === undefined
          ? t("chain.measuring")
          : `${gain < 0 ? "" : "+"}${signless(gain, 1)} dB`}
      </span>
      <Button
        title={
          loop.has_other
            ? t("chain.chainBIsName", { name: loop.other_name })
            : t("chain.saveTheCurrentChainAs")
        }
        onClick={() => ask({ type: "keep_other", preset_id: "" })}
      >
        {t("chain.saveAsB")}
      </Button>
      {loop.has_other && (
        <Button title={t("chain.bBecomesTheChainUndo")} onClick={() => ask({ type: "swap_other" })}>
          {t("chain.swap")}
        </Button>
      )}
      <Button
        look="main"
        title={t("chain.backToTheLiveMicrophone")}
        onClick={() => ask({ type: "loop_stop" })}
      >
        {t("chain.endLoop")}
      </Button>
    </section>
  );
}
