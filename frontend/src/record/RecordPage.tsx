import { useWhileShown } from "../live/whileShown";
import { GuideButton } from "../ui/GuideButton";
import { MarkNow } from "../ui/MarkNow";
import { KeptList } from "./KeptList";
import { ListenBack } from "./ListenBack";
import { RunningPanel } from "./RunningPanel";
import { TracksMenu } from "./TracksMenu";
import { useShown } from "./kept";

export function RecordPage() {
  useWhileShown("look_at_record");
  const shown = useShown();
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
          <MarkNow />
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
            Choose a recording to play back: raw, as broadcast, or through the current chain.
          </section>
        )}
      </div>
    </>
  );
}
