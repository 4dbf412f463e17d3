import { Slider } from "radix-ui";
import { listen, setPlayback, stopListening, useSound } from "../live/sound";
import { say } from "../live/store";
import { Button } from "../ui/Button";
import { signless, spoken } from "../units/format";
import { openTask, TASKS, useView } from "../view";
import { Feather } from "./Feather";
import { Findings } from "./Findings";

export function Rail() {
  const current = useView((view) => view.task);
  return (
    <aside aria-label="Tasks and listening" className="flex flex-col bg-rail py-4">
      <div className="flex items-center gap-2 px-3.5 pb-5 text-[17px] font-semibold">
        <Feather /> goshawk
      </div>
      <nav aria-label="Tasks" className="flex flex-col">
        {TASKS.map((task, i) => (
          <button
            key={task}
            type="button"
            aria-current={task === current ? "page" : undefined}
            onClick={() => openTask(task)}
            className={`flex items-center justify-between border-l-[3px] py-2.5 pr-4 pl-[15px] text-left text-[15px] ${
              task === current
                ? "border-voice bg-raised font-semibold"
                : "border-transparent text-quiet hover:text-text"
            }`}
          >
            {task} <span className="figures text-xs font-normal text-quiet">{i + 1}</span>
          </button>
        ))}
      </nav>
      <Findings />
      <div className="mt-auto pt-3">
        <ListenBox />
      </div>
    </aside>
  );
}

const LOWEST_DB = -48;

function ListenBox() {
  const { isListening, playbackDb, fillMs, underruns, overruns } = useSound();
  const start = () =>
    listen().catch(() => say("trouble", "This browser cannot play sound. Use a newer one."));
  return (
    <div className="mx-3.5 border-t border-line pt-4">
      <Button
        look={isListening ? "main" : "plain"}
        aria-pressed={isListening}
        className={`w-full rounded-md! py-2! font-semibold ${isListening ? "" : "bg-panel!"}`}
        onClick={() => (isListening ? stopListening() : void start())}
      >
        {isListening ? "Listening" : "Listen"}
      </Button>
      <Slider.Root
        className="relative mt-3 flex h-5 touch-none items-center"
        min={LOWEST_DB}
        max={0}
        value={[playbackDb]}
        onValueChange={([value = 0]) => setPlayback(value)}
      >
        <Slider.Track className="h-1 grow rounded bg-line">
          <Slider.Range className="absolute h-1 rounded bg-voice" />
        </Slider.Track>
        <Slider.Thumb
          className="block size-3.5 rounded-full bg-text"
          aria-label="How loud this page plays"
          aria-valuetext={spoken(playbackDb, "dB", 0)}
        />
      </Slider.Root>
      <p className="figures text-xs text-quiet">{signless(playbackDb, 0)} dB here</p>
      {isListening && (
        <p className="figures mt-1 text-[11px] text-quiet">
          {fillMs.toFixed(0)} ms waiting
          {underruns + overruns > 0 && (
            <span className="block text-over-strong">
              ▲ gaps {underruns}, skips {overruns}
            </span>
          )}
        </p>
      )}
    </div>
  );
}
