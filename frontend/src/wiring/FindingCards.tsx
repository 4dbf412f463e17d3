import type { Finding } from "../api/client";
import { ask, mendBy } from "../live/link";
import { Button } from "../ui/Button";
import { t } from "../text/text";

/** The gravest findings in full: what, why, and the one action. */
export function FindingCards({ findings }: { findings: Finding[] }) {
  return findings.map((finding) => (
    <section
      key={finding.key}
      aria-label={finding.title}
      className="rounded-lg bg-panel p-3.5 text-[13px]"
    >
      <h3 className="font-semibold text-over-strong">▲ {finding.title}</h3>
      <p className="mt-1">{finding.text}</p>
      <div className="mt-2.5 flex flex-wrap gap-2">
        {finding.mend && (
          <Button look="main" onClick={() => finding.mend && mendBy(finding.mend)}>
            {finding.mend.label}
          </Button>
        )}
        <Button
          title={t("wiring.ignoreForThisRigUntil")}
          onClick={() => ask({ type: "dismiss", key: finding.key })}
        >
          {t("wiring.ignore")}
        </Button>
      </div>
      {finding.evidence && <p className="mt-2 text-xs text-quiet">{finding.evidence}</p>}
    </section>
  ));
}
