import { FEED_LABELS, STAGE_LABELS } from "../api/facts.gen";
import { useEffect } from "react";
import { Slider } from "radix-ui";
import type { Rig } from "../api/client";
import { BANDS } from "../pictures/bands";
import { findStage } from "../live/chains";
import { hearAs, listen, setPlayback, stopListening, useSound } from "../live/sound";
import { say, useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Select } from "../ui/Select";
import { clock, signless, spoken } from "../units/format";
import { useKeyHint, useKeyLabel } from "../keyMap";
import { openTask, taskLabel, TASKS, type Task, useView } from "../view";
import { Feather } from "./Feather";
import { Findings } from "./Findings";
import { FEEDS } from "../live/reach";
import { HELD_TO_COUGH, toggleBreak, toggleMute } from "../live/silence";
import { Tools } from "./Tools";
import { t } from "../text/text";

export function Rail() {
  const current = useView((view) => view.task);
  const isRecording = useLive((live) => (live.recording?.stage ?? "off") !== "off");
  const isOnAir = useLive((live) => live.watch?.stage === "on_air");
  const recorded = useLive((live) => Math.floor(live.recording?.seconds ?? 0));
  return (
    <aside aria-label={t("shell.tasksAndMonitor")} className="flex min-h-0 flex-col bg-rail py-4">
      <div className="flex items-center gap-2 px-3.5 pb-5 text-[17px] font-semibold">
        <Feather /> goshawk
      </div>
      <nav aria-label={t("shell.tasks")} className="flex flex-col">
        {TASKS.map((task) => (
          <button
            key={task}
            type="button"
            aria-current={task === current ? "page" : undefined}
            onClick={() => openTask(task)}
            className={`flex items-center justify-between border-l-[3px] gap-1 py-2.5 pr-2.5 pl-[15px] text-left text-[15px] ${
              task === current
                ? "border-voice bg-raised font-semibold"
                : "border-transparent text-quiet hover:text-text"
            }`}
          >
            {taskLabel(task)}
            {task === "watch" && isOnAir ? (
              <span className="text-xs text-over-strong">{t("shell.live")}</span>
            ) : task === "record" && isRecording ? (
              <span className="figures text-[11px] whitespace-nowrap text-over-strong">
                ● {clock(recorded)}
              </span>
            ) : (
              <TaskKey task={task} />
            )}
          </button>
        ))}
      </nav>
      <Findings />
      <div className="mt-auto flex shrink-0 flex-col gap-3 pt-3">
        <SilenceBox />
        <ListenBox />
        <Tools />
      </div>
    </aside>
  );
}

function TaskKey({ task }: { task: Task }) {
  const key = useKeyLabel(`task.${task}`);
  return <span className="figures text-xs font-normal text-quiet">{key}</span>;
}

/** Mute, break and cough. What they do shows in the lamps. */
function SilenceBox() {
  const rig = useLive((live) => live.state?.rig);
  const isCoughing = useLive((live) => live.state?.is_coughing ?? false);
  const isMuted = rig?.inputs.find(({ id }) => id === rig.chained)?.is_muted ?? false;
  const isOnBreak = rig?.is_on_break ?? false;
  const hint = { mute: useKeyHint("mute"), break: useKeyHint("break"), cough: useKeyHint("cough") };
  const look = (isOn: boolean) =>
    `rounded-md! px-0! py-1.5! text-xs! whitespace-nowrap ${isOn ? "bg-over-strong! text-on-over! font-semibold" : "bg-panel!"}`;
  return (
    <div className="mx-3.5 grid grid-cols-2 gap-1.5 border-t border-line pt-3">
      <Button
        aria-pressed={isMuted}
        disabled={!rig?.chained}
        title={t("shell.muteYourVoiceForEveryone", { hint: hint.mute })}
        className={look(isMuted)}
        onClick={toggleMute}
      >
        {isMuted ? t("shell.muted") : t("shell.mute")}
      </Button>
      <Button
        aria-pressed={isOnBreak}
        title={t("shell.viewersHearOnlyTheMusic", { hint: hint.break })}
        className={look(isOnBreak)}
        onClick={toggleBreak}
      >
        {isOnBreak ? (
          <span className="text-[11px] tracking-tight">{t("shell.onBreak")}</span>
        ) : (
          t("shell.break")
        )}
      </Button>
      <Button
        aria-pressed={isCoughing}
        title={t("shell.silentForEveryoneWhileYou", { hint: hint.cough })}
        className={`col-span-2 ${look(isCoughing)}`}
        {...HELD_TO_COUGH}
      >
        {isCoughing ? t("shell.silent") : t("shell.holdToCough")}
      </Button>
    </div>
  );
}

/** What a point of the chain is called that this page listens to; null if there is no such stage. */
function stagePoint(hear: string, rig: Rig | undefined): string | null {
  const [kind, stageId = "", part] = hear.split(":");
  const slot = findStage(rig, stageId)?.slot;
  if (!slot) return null;
  switch (kind) {
    case "removed":
      return t("shell.stageRemovedSound", { stage: STAGE_LABELS[slot.stage] });
    case "taken":
      return t("shell.stageRemovedByPart", {
        stage: STAGE_LABELS[slot.stage],
        part: part === "voices" ? "voices" : "room",
      });
    case "band":
      return BANDS.find(({ name }) => name === part)?.label ?? null;
    default:
      return null;
  }
}

const LOWEST_DB = -48;

function ListenBox() {
  const { isListening, hear, playbackDb, fillMs, underruns, overruns } = useSound();
  const rig = useLive((live) => live.state?.rig);
  const alone = (rig?.inputs ?? []).map(({ id, name }) => ({
    value: `input:${id}`,
    label: t("shell.nameSolo", { name }),
  }));
  const inside = stagePoint(hear, rig);
  const isFeed = FEEDS.some((feed) => feed === hear);
  const isKnown = isFeed || inside !== null || alone.some(({ value }) => value === hear);
  useEffect(() => {
    // An input or a stage that is gone cannot be heard alone any more.
    if (!isKnown) hearAs("you");
  }, [isKnown]);
  const start = () => listen().catch(() => say("trouble", t("shell.thisBrowserCannotPlaySound")));
  return (
    <div className="mx-3.5 border-t border-line pt-2.5">
      <p className="mb-1 text-xs text-quiet">{t("shell.monitor")}</p>
      <Select
        label={t("shell.monitor")}
        value={isKnown ? hear : "you"}
        groups={[
          { options: FEEDS.map((feed) => ({ value: feed, label: FEED_LABELS[feed] })) },
          { label: t("shell.inputs"), options: alone },
          ...(inside
            ? [{ label: t("shell.inTheChain"), options: [{ value: hear, label: inside }] }]
            : []),
        ]}
        onChange={hearAs}
        className={`mb-1.5 w-full ${hear === "you" ? "bg-panel!" : "text-voice-strong"}`}
      />
      <Button
        look={isListening ? "main" : "plain"}
        aria-pressed={isListening}
        className={`w-full rounded-md! py-2! font-semibold ${isListening ? "" : "bg-panel!"}`}
        onClick={() => (isListening ? stopListening() : void start())}
      >
        {isListening ? t("shell.listening") : t("shell.listen")}
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
          className="thumb"
          aria-label={t("shell.playbackVolumeOnThisPage")}
          aria-valuetext={spoken(playbackDb, "dB", 0)}
        />
      </Slider.Root>
      <p className="figures text-xs text-quiet">
        {t("shell.dbDbHere", { db: signless(playbackDb, 0) })}
      </p>
      {isListening && (
        <p className="figures mt-1 text-[11px] text-quiet">
          {t("shell.msMsBuffered", { ms: fillMs.toFixed(0) })}
          {underruns + overruns > 0 && (
            <span className="block text-over-strong">
              {t("shell.gapsGapsSkipsSkips", { gaps: underruns, skips: overruns })}
            </span>
          )}
        </p>
      )}
    </div>
  );
}
