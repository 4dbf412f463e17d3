import { GuideButton } from "../ui/GuideButton";
import { useKeyHint } from "../keyMap";
import { ask } from "../live/link";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { KeptList } from "./KeptList";
import { ListenBack } from "./ListenBack";
import { RunningPanel } from "./RunningPanel";
import { TracksMenu } from "./TracksMenu";
import { useShown } from "./kept";

export function RecordPage() {
  const isOn = useLive((live) => (live.recording?.stage ?? "off") !== "off");
  const shown = useShown();
  const hint = useKeyHint("mark");
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <h2 className="text-[19px] font-semibold">Record</h2>
        <GuideButton page="record" about="this task" />
        <p className="text-quiet max-[1180px]:sr-only">
          keep the evening, track by track, and listen back
        </p>
        <div className="ml-auto flex items-center gap-1.5">
          <TracksMenu />
          <Button
            disabled={!isOn}
            title={`A mark at this moment${hint}`}
            onClick={() => ask({ type: "put_mark", name: "" })}
          >
            Mark now
          </Button>
        </div>
      </div>
      <RunningPanel />
      <div className="mt-3 grid grid-cols-[minmax(260px,2fr)_minmax(0,3fr)] gap-3">
        <KeptList />
        {shown ? (
          <ListenBack key={shown} id={shown} />
        ) : (
          <section
            aria-label="Listen back"
            className="rounded-lg bg-panel p-4 text-[13px] text-quiet"
          >
            Choose a recording to listen back: as it came, as viewers got it, or through the chain
            as it is now.
          </section>
        )}
      </div>
    </>
  );
}
