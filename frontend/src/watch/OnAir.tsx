/** On air: the evening so far as lanes, what stands wrong, what happened. */

import { GuideButton } from "../ui/GuideButton";
import { useEffect, useState } from "react";
import type { LanesData } from "../api/client";
import { ask } from "../live/link";
import { pause, usePlayer } from "../live/recordingPlayer";
import { useLive } from "../live/store";
import { TroubleCard } from "../pictures/TroubleCard";
import { MarkNow } from "../ui/MarkNow";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { clock } from "../units/format";
import { timeOf, useEvenings } from "./evenings";
import { hearMoment, type HearAt } from "./hearMoment";
import { LanesPicture } from "./Lanes";
import { MomentList } from "./MomentList";
import { Title } from "./Title";
import { t } from "../text/text";

const SPANS = [
  { value: "0", label: t("watch.all") },
  { value: "3600", label: "1 h" },
  { value: "600", label: t("watch.tenMinutes") },
];
const POLL_MS = 2000;
const POINTS = 420;

export function OnAir() {
  const watch = useLive((live) => live.watch);
  const recording = useLive((live) => live.recording);
  const [span, setSpan] = useState("0");
  const seconds = watch?.seconds ?? 0;
  const whole = Math.max(1, Math.floor(seconds));
  const from = span === "0" ? 0 : Math.max(0, whole - Number(span));
  const { found, trouble } = useEvenings<LanesData>(
    `/${watch?.evening}/lanes?points=${POINTS}&from_s=${from}`,
    span,
    POLL_MS,
  );
  const isPlaying = usePlayer((player) => player.isPlaying);
  useEffect(() => pause, []);
  if (!watch?.started_utc) return null;
  const hearAt: HearAt = (atS, way) => void hearMoment(watch.recordings, true, atS, way);
  return (
    <div className="flex h-full min-h-[480px] flex-col">
      <div className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <Title>{t("watch.watch")}</Title>
        <GuideButton page="watch" about={t("watch.thisTask")} />
        <p className="text-quiet">
          {t("watch.liveFor")} <span className="figures text-[13px]">{clock(seconds)}</span>
        </p>
        <span className="ml-auto" />
        {isPlaying && <Button onClick={pause}>{t("watch.stopPlayback")}</Button>}
        {recording?.id && <MarkNow />}
        <Button
          title={t("watch.aSmallStripForA")}
          onClick={() =>
            window.open("/small", "goshawk small", "popup,width=480,height=150,noopener=no")
          }
        >
          {t("watch.smallWindow")}
        </Button>
        <Button
          look="main"
          disabled={watch.stage === "ending"}
          onClick={() => ask({ type: "go_off_air" })}
        >
          {watch.stage === "ending" ? t("watch.ending") : t("watch.endBroadcast")}
        </Button>
      </div>
      {watch.save_trouble && (
        <p role="alert" className="mb-2 text-[13px] text-over-strong">
          ▲ {watch.save_trouble}
        </p>
      )}
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_minmax(270px,30%)] gap-3">
        <section
          aria-label={t("watch.thisBroadcast")}
          className="flex min-h-0 min-w-0 flex-col rounded-lg bg-panel p-3.5"
        >
          <div className="mb-2.5 flex flex-wrap items-center gap-3">
            <h3 className="font-semibold">{t("watch.thisBroadcast")}</h3>
            <p className="text-xs text-quiet max-[1180px]:sr-only">
              {t("watch.selectAnEventToHear")}
            </p>
            <span className="ml-auto" />
            <Choice label={t("watch.timeRange")} value={span} options={SPANS} onChange={setSpan} />
          </div>
          {trouble && <p role="alert">▲ {trouble}</p>}
          <LanesPicture
            data={found}
            events={watch.events}
            marks={watch.marks}
            startLabel={timeOf(watch.anchors, from)}
            endLabel={t("watch.now")}
            onHear={hearAt}
          />
        </section>
        <div className="flex min-h-0 flex-col gap-3">
          {watch.told && <TroubleCard event={watch.told} />}
          <MomentList
            events={watch.events}
            marks={watch.marks}
            anchors={watch.anchors}
            nowS={seconds}
            onHear={hearAt}
          />
        </div>
      </div>
    </div>
  );
}
