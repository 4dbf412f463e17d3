import { stagePath, useStage } from "../live/chains";
import { ask } from "../live/link";
import { type ReadingsStore, useLevels, useReadings } from "../live/readings";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { Progress } from "../ui/Progress";
import { Setting } from "../ui/Setting";
import { signless } from "../units/format";
import type { PanelProps } from "./panelProps";
import { HearButton } from "../pictures/HearButton";
import { PanelLayout } from "../pictures/PanelLayout";
import { SpectrumPicture } from "../pictures/SpectrumPicture";
import { TakesPicture } from "../pictures/TakesPicture";

const SETTINGS = [
  "reduction_db",
  "knows_voices_percent",
  "emphasis_percent",
  "follow_s",
  "clatter_db",
];

export function SuppressorPanel({ id }: PanelProps) {
  return (
    <PanelLayout
      settings={
        <>
          <RoomBox id={id} />
          {SETTINGS.map((name) => (
            <Setting key={name} path={`${stagePath(id)}.settings.${name}`} />
          ))}
          <p className="pt-1.5 text-[13px]">Hear what is removed</p>
          <div className="flex flex-wrap gap-1.5 pt-1">
            <HearButton
              point={`removed:${id}`}
              label="all"
              title="Listen to what the suppressor takes away, here only"
            />
            <HearButton
              point={`taken:${id}:room`}
              label="by room"
              title="Only what it takes since it knows the room"
            />
            <HearButton
              point={`taken:${id}:voices`}
              label="by voices"
              title="Only what it takes besides since it knows voices"
            />
          </div>
        </>
      }
    >
      <Panel
        className="flex-1"
        title="Before (grey), after (amber), the room it knows (hatched), dBFS in sixths of an octave"
      >
        <SpectrumPicture
          id={id}
          label="Spectra before and after the suppressor, and the room's"
          height="h-[170px]"
        />
        <RoomSentence id={id} />
        <p className="pt-1.5 text-xs text-quiet">
          Taken by what it knows of the room (grey), and of voices besides (amber), dB
        </p>
        <TakesPicture
          id={id}
          label="What the suppressor takes in each band, by room and by voices"
        />
      </Panel>
    </PanelLayout>
  );
}

function RoomBox({ id }: { id: string }) {
  const slot = useStage(id)?.slot;
  const take = useLevels((levels) => levels?.room_take);
  if (slot?.stage !== "suppressor") return null;
  if (take?.stage_id === id) {
    return (
      <section aria-label="Learning the room" role="status" className="pb-3">
        <p className="pb-1.5 text-[13px] font-semibold">Stay quiet …</p>
        <div className="flex items-center gap-2">
          <Progress label="Learning the room" share={take.progress} />
          <Button onClick={() => ask({ type: "learn_room", stage_id: "" })}>Cancel</Button>
        </div>
      </section>
    );
  }
  const isKnown = slot.settings.room !== null;
  return (
    <section aria-label="The room" className="pb-3">
      <p className="pb-1.5 text-[13px]">
        {isKnown
          ? "It has learned this room, and follows it."
          : "It follows the room by itself. Learned, it does better."}
      </p>
      <div className="flex gap-1.5">
        <Button
          look={isKnown ? "plain" : "main"}
          title="Stay quiet for four seconds, with fans and machines as on air"
          onClick={() => ask({ type: "learn_room", stage_id: id })}
        >
          {isKnown ? "Learn again" : "Learn the room"}
        </Button>
        {isKnown && (
          <Button onClick={() => ask({ type: "forget_room", stage_id: id })}>Forget it</Button>
        )}
      </div>
    </section>
  );
}

function RoomSentence({ id }: { id: string }) {
  const said = useReadings((now) => roomSentence(now, id));
  return <p className="text-[13px]">{said}</p>;
}

function roomSentence({ levels, stages }: ReadingsStore, id: string): string {
  const noise = stages[id]?.noise_dbfs;
  if (!levels || typeof noise !== "number") return "–";
  const after = levels.stations[id]?.noise_floor_dbfs;
  const behind =
    typeof after === "number" ? `, at ${signless(after, 0)} in your pauses behind it.` : ".";
  return `The room stands at ${signless(noise, 0)} dBFS ahead of it${behind}`;
}
