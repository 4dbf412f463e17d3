import { useWhileShown } from "../live/whileShown";
import { GuideButton } from "../ui/GuideButton";
import { MarkNow } from "../ui/MarkNow";
import { KeptList } from "./KeptList";
import { ListenBack } from "./ListenBack";
import { RunningPanel } from "./RunningPanel";
import { TracksMenu } from "./TracksMenu";
import { useShown } from "./kept";
import { t } from "../text/text";

export function RecordPage() {
  useWhileShown("look_at_record");
  const shown = useShown();
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <h2 className="text-[19px] font-semibold">{t("record.record")}</h2>
        <GuideButton page="record" about={t("record.thisTask")} />
        <p className="text-quiet max-[1180px]:sr-only">{t("record.recordEveryTrackPlayIt")}</p>
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
            aria-label={t("record.playback")}
            className="rounded-lg bg-panel p-4 text-[13px] text-quiet"
          >
            {t("record.chooseARecordingToPlay")}
          </section>
        )}
      </div>
    </>
  );
}
