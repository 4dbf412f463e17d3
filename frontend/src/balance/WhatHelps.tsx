/** What would let more of the voice be followed, each tried on what was heard last. */

import { setTogether } from "../live/link";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { t } from "../text/text";

export function WhatHelps() {
  const sight = useLive((live) => live.balance?.sights["10"]);
  const improvements = useLive((live) => live.balance?.improvements);
  const triedS = useLive((live) => live.balance?.tried_s);
  const now = sight?.sii ?? null;
  return (
    <Panel>
      <section aria-label={t("balance.suggestions")} aria-busy={!improvements}>
        <div className="flex flex-wrap items-baseline justify-between gap-x-2">
          <h3 className="font-semibold">{t("balance.suggestions")}</h3>
          {improvements && (
            <span className="text-xs text-quiet">
              {t("balance.testedOnYourLastSeconds", { seconds: triedS ?? 0 })}
            </span>
          )}
        </div>
        {improvements?.map((one) => (
          <div key={one.key} className="mt-2 flex items-center gap-2 border-t border-line pt-2">
            <div className="min-w-0 flex-1">
              <p className="text-[13px] font-semibold">{one.title}</p>
              <p className="text-xs text-quiet">{one.reason}</p>
              <p className="figures text-[13px] text-voice-strong">
                {one.sii_before.toFixed(2)} → {one.sii_after.toFixed(2)}
              </p>
            </div>
            <Button
              look="main"
              className="px-3!"
              aria-label={t("balance.applyTitle", { title: one.title })}
              onClick={() => setTogether(one.changes)}
            >
              {t("balance.apply")}
            </Button>
          </div>
        ))}
        {!improvements && <p className="mt-2 text-[13px] text-quiet">{t("balance.testing")}</p>}
        {improvements?.length === 0 && (
          <p className="mt-2 text-[13px] text-quiet">
            {now === null ? t("balance.speakOverGameAndMusic") : t("balance.nothingWorthChanging")}
          </p>
        )}
      </section>
    </Panel>
  );
}
