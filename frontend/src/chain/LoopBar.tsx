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

const LENGTHS_S = [5, 10, 20, 30, 60];

export function LoopBar() {
  const loop = useLive((live) => live.state?.loop);
  const isReady = useLive((live) => live.state?.is_engine_running ?? false);
  const [seconds, setSeconds] = useState(10);
  if (!loop) return null;
  if (loop.is_recording) {
    return (
      <section aria-label="Loop" role="status" className="ml-auto flex items-center gap-2.5">
        <p className="text-[13px]">
          Speak now: {loop.duration_s.toFixed(0)} seconds are taken, then looped.
        </p>
        <Button onClick={() => ask({ type: "loop_stop" })}>Cancel</Button>
      </section>
    );
  }
  if (loop.is_on) return <Playing loop={loop} />;
  return (
    <section aria-label="Loop" className="ml-auto flex items-center gap-1.5">
      <Repeat size={15} aria-hidden className="text-quiet" />
      <Select
        label="Length of the loop"
        value={String(seconds)}
        groups={[{ options: LENGTHS_S.map((s) => ({ value: String(s), label: `${s} s` })) }]}
        onChange={(value) => setSeconds(Number(value))}
      />
      <Button
        disabled={!isReady}
        title="Loop what you said last; nobody hears the microphone meanwhile"
        onClick={() => ask({ type: "loop_last", seconds })}
      >
        Loop the last
      </Button>
      <Button
        disabled={!isReady}
        title="Take a new phrase and loop it"
        onClick={() => ask({ type: "loop_new", seconds })}
      >
        Take a new one
      </Button>
    </section>
  );
}

function Playing({ loop }: { loop: LoopState }) {
  const isListening = useSound((sound) => sound.isListening);
  const gain = loop.gains_db[loop.heard];
  const options: { value: LoopState["heard"]; label: string }[] = [
    { value: "chain", label: "Chain A" },
    { value: "raw", label: "Raw" },
  ];
  if (loop.has_other) options.push({ value: "other", label: "Chain B" });
  return (
    <section aria-label="Loop" className="ml-auto flex flex-wrap items-center gap-1.5">
      <p role="status" className="text-[13px]">
        <strong>{loop.duration_s.toFixed(0)} s loop</strong>
        {isListening ? ", heard by you alone" : ": press Listen to hear it"}
      </p>
      <Choice
        label="Hear the loop through"
        value={loop.heard}
        options={options}
        onChange={(heard) => ask({ type: "loop_hear", heard })}
      />
      <span className="figures w-[74px] text-xs text-quiet" title="All are brought to one loudness">
        {gain === undefined ? "measuring …" : `${gain < 0 ? "" : "+"}${signless(gain, 1)} dB`}
      </span>
      <Button
        title={
          loop.has_other ? `Chain B is ${loop.other_name}` : "Keep the chain as it is now as B"
        }
        onClick={() => ask({ type: "keep_other", preset_id: "" })}
      >
        Keep as B
      </Button>
      {loop.has_other && (
        <Button
          title="B becomes the chain; undo brings A back"
          onClick={() => ask({ type: "swap_other" })}
        >
          Swap
        </Button>
      )}
      <Button
        look="main"
        title="Back to the live microphone"
        onClick={() => ask({ type: "loop_stop" })}
      >
        End loop
      </Button>
    </section>
  );
}
