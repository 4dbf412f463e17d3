/** Before going on air: what must be true, looked at by Goshawk, each with its mend or the task where it is settled. */

import { GuideButton } from "../ui/GuideButton";
import { Check, LoaderCircle, TriangleAlert } from "lucide-react";
import type { BeforeItem } from "../api/client";
import { ask, mendBy } from "../live/link";
import { useLive } from "../live/store";
import { useWhileShown } from "../live/whileShown";
import { Button } from "../ui/Button";
import { Progress } from "../ui/Progress";
import { openTask, taskLabel } from "../view";
import { Evenings } from "./Evenings";
import { Rules } from "./Rules";
import { Title } from "./Title";
import { t } from "../text/text";

export function Before() {
  const items = useLive((live) => live.watch?.before);
  const records = useLive((live) => live.state?.rig.watch.records ?? false);
  useWhileShown("look_at_watch");
  const open = items?.filter(({ state }) => state === "open").length ?? 0;
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <Title>{t("watch.watch")}</Title>
        <GuideButton page="watch" about={t("watch.thisTask")} />
        <p className="text-quiet">
          {items?.length
            ? t("watch.checklistOpen", { total: String(items.length), open })
            : t("watch.checking")}
        </p>
        <Button look="main" className="ml-auto min-w-52" onClick={() => ask({ type: "go_on_air" })}>
          {records ? t("watch.goLiveAndRecord") : t("watch.goLive")}
        </Button>
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(290px,36%)] items-start gap-3">
        <section aria-label={t("watch.checklist")} className="rounded-lg bg-panel px-4 py-1.5">
          {!items?.length && <p className="py-3 text-[13px] text-quiet">{t("watch.checking")}</p>}
          <ul>
            {items?.map((item) => (
              <Row key={item.key} item={item} />
            ))}
          </ul>
        </section>
        <div className="flex flex-col gap-3">
          <Rules />
          <Evenings />
        </div>
      </div>
    </>
  );
}

const SAID = {
  good: t("watch.good"),
  open: t("watch.needsAttention"),
  waits: t("watch.notChecked"),
};

function Row({ item }: { item: BeforeItem }) {
  const { state, title, text, task, mend, progress } = item;
  const hue =
    state === "open" ? "text-over-strong" : state === "waits" ? "text-voice-strong" : "text-text";
  return (
    <li className="flex items-center gap-3.5 border-b border-line py-[7px] last:border-0">
      <span className={`shrink-0 ${hue}`}>
        {state === "good" ? (
          <Check aria-hidden size={20} />
        ) : state === "open" ? (
          <TriangleAlert aria-hidden size={20} />
        ) : (
          <LoaderCircle aria-hidden size={20} />
        )}
        <span className="sr-only">{SAID[state]}: </span>
      </span>
      <div className="min-w-0 flex-1">
        <p className={`text-[14px] leading-snug font-semibold ${hue}`}>{title}</p>
        <p className="text-xs text-quiet">{text}</p>
      </div>
      {progress != null && <Progress label={title} share={progress} />}
      {state === "open" && mend && (
        <Button look="main" onClick={() => mendBy(mend)}>
          {mend.label}
        </Button>
      )}
      {state === "open" && !mend && (
        <Button onClick={() => openTask(task)}>{taskLabel(task)} …</Button>
      )}
    </li>
  );
}
