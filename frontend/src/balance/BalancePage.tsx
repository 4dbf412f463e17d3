import { GuideButton } from "../ui/GuideButton";
import { useState } from "react";
import { ask } from "../live/link";
import { useLive } from "../live/store";
import { useWhileShown } from "../live/whileShown";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Panel } from "../ui/Panel";
import { InputDetail } from "./InputDetail";
import { LastTenMinutes, LastTenSeconds } from "./PeaksPicture";
import { ReplayBar, ReplayFigures, StartReplay } from "./Replay";
import { InputStrip } from "./InputStrip";
import { TargetsMenu } from "./TargetsMenu";
import { Understandable } from "./Understandable";
import { WhatHelps } from "./WhatHelps";
import { WholeFeed } from "./WholeFeed";
import { WordsPicture } from "./WordsPicture";
import { setSpan, setWindow, SPANS, useBalanceView, WINDOWS } from "./balanceView";
import { t } from "../text/text";

export function BalancePage() {
  useWhileShown("watch_balance"); // what would help
  const rig = useLive((live) => live.state?.rig);
  const replay = useLive((live) => live.balance?.replay);
  const { window, span } = useBalanceView();
  const [openId, setOpen] = useState<string | null>(null);
  const open = rig?.inputs.find(({ id }) => id === openId && id !== rig.chained);
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <h2 className="text-[19px] font-semibold">{t("balance.balance")}</h2>
        <GuideButton page="balance" about={t("balance.thisTask")} />
        <p className="text-quiet max-[1180px]:sr-only">{t("balance.setYourVoiceAboveGame")}</p>
        <div className="ml-auto flex items-center gap-1.5">
          {!replay?.is_on && <StartReplay />}
          <TargetsMenu />
          <Button look="main" onClick={() => ask({ type: "bring_to_target", input_id: "" })}>
            {t("balance.matchAllTargets")}
          </Button>
        </div>
      </div>
      {replay?.is_on && <ReplayBar replay={replay} />}
      <div className="flex gap-3.5">
        <div className="flex min-w-0 flex-1 flex-col gap-3.5">
          <Panel>
            <div className="mb-1 flex items-center gap-2">
              <figcaption className="min-w-0 text-xs leading-tight text-quiet min-[1180px]:truncate">
                {t("balance.peaksInTheViewersFeed")}
              </figcaption>
              <span className="ml-auto" />
              <Choice
                label={t("balance.timeRange")}
                value={span}
                options={SPANS}
                onChange={setSpan}
              />
            </div>
            {span === "600" ? <LastTenMinutes /> : <LastTenSeconds />}
          </Panel>
          <section aria-label={t("balance.inputs")}>
            <div className="mb-1.5 flex items-center gap-2">
              <h3 className="font-semibold">{t("balance.inputs")}</h3>
              <p className="text-xs leading-tight text-quiet min-[1180px]:truncate">
                {t("balance.peaksAndToneForViewers")}
              </p>
              <span className="ml-auto" />
              <Choice
                label={t("balance.measuredOver")}
                value={String(window)}
                options={WINDOWS.map((one) => ({ value: String(one), label: `${one} s` }))}
                onChange={(value) => setWindow(Number(value))}
              />
            </div>
            <div className="grid grid-cols-[repeat(auto-fill,minmax(180px,1fr))] gap-2.5">
              {rig?.inputs.map((input) => (
                <InputStrip
                  key={input.id}
                  input={input}
                  isChained={input.id === rig.chained}
                  isOpen={input.id === openId}
                  onOpen={() => setOpen(input.id === openId ? null : input.id)}
                />
              ))}
            </div>
          </section>
          {open && <InputDetail key={open.id} input={open} onClose={() => setOpen(null)} />}
          <WordsPicture />
        </div>
        <div className="flex w-[286px] shrink-0 flex-col gap-3.5">
          {replay?.is_on && <ReplayFigures replay={replay} />}
          <Understandable />
          <WhatHelps />
          <WholeFeed />
        </div>
      </div>
    </>
  );
}
