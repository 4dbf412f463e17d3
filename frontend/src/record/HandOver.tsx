/** Hand a recording over: its tracks, or mixed anew, the whole or a piece, in any of the formats. */

import { useEffect, useState } from "react";
import {
  askRecordings,
  fetchRecordings,
  type HandOver,
  type HandOverWish,
  type RecordingDetail,
} from "../api/client";
import { say } from "../live/store";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Popover } from "../ui/Popover";
import { Progress } from "../ui/Progress";
import { clock } from "../units/format";
import type { Span } from "../live/recordingPlayer";
import { t } from "../text/text";

const POLL_MS = 400;
const FORMATS = [
  { value: "flac" as const, label: "FLAC" },
  { value: "wav" as const, label: "WAV" },
  { value: "opus" as const, label: "Opus" },
];
const WHATS = [
  { value: "tracks" as const, label: t("record.separateTracks") },
  { value: "mix" as const, label: t("record.newMix") },
];

export function HandOverMenu({ one, piece }: { one: RecordingDetail; piece: Span | null }) {
  return (
    <Popover
      label={t("record.export")}
      className="w-80"
      trigger={<Button>{t("record.exportMenu")}</Button>}
    >
      <Making one={one} piece={piece} />
    </Popover>
  );
}

function Making({ one, piece }: { one: RecordingDetail; piece: Span | null }) {
  const [what, setWhat] = useState<NonNullable<HandOverWish["what"]>>("tracks");
  const [format, setFormat] = useState(one.file_format);
  const [state, setState] = useState<HandOver | null>(null);
  const [asked, setAsked] = useState(0);
  const isWorking = state?.stage === "working";
  useEffect(() => {
    let isWanted = true;
    const look = () =>
      fetchRecordings<HandOver>(`/${one.id}/hand-over`).then(
        (found) => isWanted && setState(found),
        () => undefined,
      );
    void look();
    const timer = isWorking ? window.setInterval(() => void look(), POLL_MS) : 0;
    return () => {
      isWanted = false;
      window.clearInterval(timer);
    };
  }, [one.id, isWorking, asked]);
  const act = (request: Promise<void>) =>
    request.then(
      () => setAsked(asked + 1),
      (error: Error) => say("trouble", error.message),
    );
  const make = () =>
    act(
      askRecordings(`/${one.id}/hand-over`, "POST", {
        what,
        file_format: format,
        from_s: piece?.from ?? 0,
        to_s: piece?.to ?? null,
      }),
    );
  const isOurs = state?.recording === one.id;
  return (
    <div className="flex flex-col items-start gap-2.5 text-[13px]">
      <p className="text-xs text-quiet">
        {t("record.exportWhat", {
          kind: piece ? "part" : "whole",
          from: clock(piece?.from ?? 0),
          to: clock(piece?.to ?? 0),
        })}
      </p>
      <Choice label={t("record.content")} value={what} options={WHATS} onChange={setWhat} />
      {what === "mix" && (
        <p className="text-xs text-quiet">{t("record.theRawTracksProcessedAnd")}</p>
      )}
      <Choice label={t("record.format")} value={format} options={FORMATS} onChange={setFormat} />
      {isWorking ? (
        <>
          <Progress label={t("record.exporting")} share={state.share} />
          <Button onClick={() => void act(askRecordings(`/${one.id}/hand-over`, "DELETE"))}>
            {t("record.cancel")}
          </Button>
        </>
      ) : (
        <Button look="main" onClick={() => void make()}>
          {t("record.export")}
        </Button>
      )}
      {isOurs && state.stage === "failed" && <p role="alert">▲ {state.said}</p>}
      {isOurs && state.stage === "done" && (
        <p role="status">
          {t("record.fileIsCount", { count: state.files.length })}
          <a className="underline" download href={`/api/recordings/${one.id}/hand-over/zip`}>
            {t("record.downloadAsZip")}
          </a>
        </p>
      )}
      <p className="text-xs break-all text-quiet">
        {t("record.recordingFolderFolder", { folder: one.folder })}
      </p>
    </div>
  );
}
