/** All recordings, the newest first: searched, chosen, renamed, deleted and brought back. */

import { Pencil, Trash2 } from "lucide-react";
import { useState } from "react";
import { askRecordings, type KeptRecording } from "../api/client";
import { did, useLive } from "../live/store";
import { Button } from "../ui/Button";
import { IconButton } from "../ui/IconButton";
import { clock } from "../units/format";
import { show, useKeptRecordings, useShown } from "./kept";
import { t } from "../text/text";

const SHOWN_AT_ONCE = 200;
const NONE: string[] = [];

export function KeptList() {
  const { kept, trouble } = useKeptRecordings();
  const folder = useLive((live) => live.state?.record.folder ?? "");
  const silent = useLive((live) => live.state?.record.silent) ?? NONE;
  const shown = useShown();
  const [wanted, setWanted] = useState("");
  const [deleted, setDeleted] = useState<KeptRecording | null>(null);
  const found = (kept ?? []).filter((one) =>
    `${one.title} ${one.note}`.toLowerCase().includes(wanted.toLowerCase()),
  );
  const remove = async (one: KeptRecording) => {
    if (await did(askRecordings(`/${one.id}`, "DELETE"))) {
      setDeleted(one);
      if (shown === one.id) show("");
    }
  };
  const restore = async (one: KeptRecording) => {
    if (await did(askRecordings(`/${one.id}/restore`, "POST"))) setDeleted(null);
  };
  return (
    <section
      aria-label={t("record.recordings")}
      className="flex min-h-0 min-w-0 flex-col rounded-lg bg-panel p-3.5"
    >
      <div className="mb-2 flex items-baseline gap-2">
        <h3 className="font-semibold">{t("record.recordings")}</h3>
        <p className="min-w-0 flex-1 truncate text-right text-xs text-quiet" title={folder}>
          {t("record.inFolder", { folder })}
        </p>
      </div>
      {(kept?.length ?? 0) > 3 && (
        <input
          type="search"
          aria-label={t("record.searchRecordings")}
          placeholder={t("record.searchNameAndNote")}
          value={wanted}
          onChange={(event) => setWanted(event.target.value)}
          className="mb-2 rounded bg-raised px-2 py-1 text-[13px]"
        />
      )}
      {deleted && (
        <p
          role="status"
          className="mb-2 flex items-center gap-2 rounded bg-raised px-2 py-1 text-[13px]"
        >
          <span className="min-w-0 flex-1 truncate">
            {t("record.titleWasDeleted", { title: deleted.title })}
          </span>
          <Button onClick={() => void restore(deleted)}>{t("record.restore")}</Button>
        </p>
      )}
      {trouble && <p role="alert">▲ {trouble}</p>}
      {silent.map((one) => (
        <p key={one} role="status" className="mb-1 text-[13px] break-words">
          {t("record.placeDoesNotAnswerIts", { place: one })}
        </p>
      ))}
      {!kept && !trouble && (
        <p className="text-[13px] text-quiet">{t("record.readingTheFolder")}</p>
      )}
      {kept?.length === 0 && !silent.length && (
        <p className="text-[13px] text-quiet">{t("record.noRecordingsYetPressRecord")}</p>
      )}
      {kept && kept.length > 0 && !found.length && (
        <p className="text-[13px] text-quiet">{t("record.noRecordingMatches")}</p>
      )}
      {found.length > 0 && (
        <ul className="flex max-h-[330px] flex-col gap-0.5 overflow-auto">
          {found.slice(0, SHOWN_AT_ONCE).map((one) => (
            <Row
              key={one.id}
              one={one}
              isShown={one.id === shown}
              onRemove={() => void remove(one)}
            />
          ))}
        </ul>
      )}
    </section>
  );
}

type RowProps = { one: KeptRecording; isShown: boolean; onRemove: () => void };

function Row({ one, isShown, onRemove }: RowProps) {
  const [isNaming, setNaming] = useState(false);
  const rename = async (title: string) => {
    setNaming(false);
    if (title && title !== one.title) await did(askRecordings(`/${one.id}`, "PATCH", { title }));
  };
  const tracks = one.tracks === 1 ? "1 track" : t("record.trackCount", { count: one.tracks });
  const marks = one.marks
    ? ` · ${one.marks === 1 ? "1 mark" : t("record.markCount", { count: one.marks })}`
    : "";
  const happened =
    one.state === "mended" ? t("record.interruptedRepaired") : one.said ? " · ▲" : "";
  return (
    <li className={`group flex items-center gap-1 rounded-md pr-1 ${isShown ? "bg-raised" : ""}`}>
      {isNaming ? (
        <input
          autoFocus
          aria-label={t("record.nameOfTitle", { title: one.title })}
          defaultValue={one.title}
          onBlur={(event) => void rename(event.target.value.trim())}
          onKeyDown={(event) => {
            if (event.key === "Enter") event.currentTarget.blur();
            if (event.key === "Escape") setNaming(false);
          }}
          className="m-1.5 min-w-0 flex-1 rounded bg-ground px-2 py-1 text-[13px]"
        />
      ) : (
        <button
          type="button"
          aria-pressed={isShown}
          title={one.said || one.title}
          onClick={() => show(one.id)}
          className="min-w-0 flex-1 px-2.5 py-1.5 text-left"
        >
          <span className="flex gap-3 text-[13px]">
            <span className="min-w-0 flex-1 truncate font-semibold">{one.title}</span>
            <span className="figures">{clock(one.seconds)}</span>
          </span>
          <span className="block truncate text-xs text-quiet">
            {tracks}
            {marks}
            {happened}
            {one.note && ` · ${one.note}`}
          </span>
        </button>
      )}
      <IconButton
        label={t("record.renameTitle", { title: one.title })}
        onClick={() => setNaming(true)}
      >
        <Pencil size={13} />
      </IconButton>
      <IconButton label={t("record.deleteTitle", { title: one.title })} onClick={onRemove}>
        <Trash2 size={13} />
      </IconButton>
    </li>
  );
}
