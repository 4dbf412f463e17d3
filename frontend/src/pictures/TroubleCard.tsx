/** What stands wrong on air, large: one thing at a time, with what helps. */

import type { WatchEvent } from "../api/client";
import { ask, mendBy } from "../live/link";
import { Button } from "../ui/Button";
import { t } from "../text/text";

export function TroubleCard({ event }: { event: WatchEvent }) {
  const { mend } = event;
  return (
    <section
      role="alert"
      aria-label={event.title}
      className="rounded-lg border-l-4 border-over bg-panel p-4 text-[13px]"
    >
      <h3 className="text-[15px] font-semibold text-over-strong">▲ {event.title}</h3>
      <p className="mt-1.5">
        {event.text} {!mend && event.help}
      </p>
      <div className="mt-3 flex flex-wrap gap-2">
        {mend && (
          <Button look="main" onClick={() => mendBy(mend)}>
            {mend.label}
          </Button>
        )}
        <Button
          title={t("pictures.hideThisAlertUntilThe")}
          onClick={() => ask({ type: "know_event", number: event.number })}
        >
          {t("pictures.dismiss")}
        </Button>
      </div>
    </section>
  );
}
