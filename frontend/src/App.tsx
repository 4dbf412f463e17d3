import { lazy, Suspense, useEffect, useRef } from "react";
import { BalancePage } from "./balance/BalancePage";
import { ChainPage } from "./chain/ChainPage";
import { LevelPath } from "./levelpath/LevelPath";
import { useGuide } from "./guideView";
import { useLive } from "./live/store";
import { RecordPage } from "./record/RecordPage";
import { Messages } from "./shell/Messages";
import { Rail } from "./shell/Rail";
import { Told } from "./shell/Told";
import { TopBar } from "./shell/TopBar";
import { useKeys } from "./shell/useKeys";
import { useTitle } from "./shell/useTitle";
import { SoundCheckPage } from "./soundcheck/SoundCheckPage";
import { taskLabel, useView } from "./view";
import { WatchPage } from "./watch/WatchPage";
import { WiringPage } from "./wiring/WiringPage";
import { t } from "./text/text";

/** Its text and its search are fetched when it is opened first. */
const Guide = lazy(() => import("./shell/Guide"));

const PAGES = {
  wiring: WiringPage,
  sound_check: SoundCheckPage,
  chain: ChainPage,
  balance: BalancePage,
  record: RecordPage,
  watch: WatchPage,
};

export function App() {
  useKeys();
  useTitle();
  const task = useView((view) => view.task);
  const isReady = useLive((live) => live.state !== null && live.known !== null);
  const isGuideOpen = useGuide(({ isOpen }) => isOpen);
  const arrivals = useView((view) => view.arrivals);
  const main = useRef<HTMLElement>(null);
  useEffect(() => {
    if (arrivals) main.current?.focus({ preventScroll: true });
  }, [arrivals]);
  const Page = PAGES[task];
  return (
    <div className="grid h-full min-h-[640px] min-w-[900px] grid-cols-[134px_minmax(0,1fr)] grid-rows-[minmax(0,1fr)]">
      <Rail />
      <div className="flex min-h-0 min-w-0 flex-col">
        <div className="relative shrink-0">
          <TopBar />
          <Messages />
          {task !== "watch" && <Told />}
        </div>
        {isReady ? (
          <>
            <LevelPath isTall={task === "chain"} />
            <main
              key={task}
              ref={main}
              tabIndex={-1}
              className="min-h-0 flex-1 overflow-auto outline-none px-[18px] pt-3 pb-4"
              aria-label={taskLabel(task)}
            >
              <Page />
            </main>
          </>
        ) : (
          <p className="p-8 text-quiet">{t("page.connectingToGoshawk")}</p>
        )}
      </div>
      {isGuideOpen && (
        <Suspense>
          <Guide />
        </Suspense>
      )}
    </div>
  );
}
