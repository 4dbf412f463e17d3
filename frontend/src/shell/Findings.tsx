import { mendBy, ask } from "../live/link";
import { useLevels } from "../live/readings";
import { Button } from "../ui/Button";
import { t } from "../text/text";

/** What is wrong now, each with the one change that mends it. */
export function Findings() {
  const findings = useLevels((levels) => levels?.findings) ?? [];
  const aside = useLevels((levels) => levels?.findings_aside) ?? 0;
  if (!findings.length && !aside) return null;
  return (
    <section
      aria-label={t("shell.problems")}
      className="min-h-0 overflow-auto px-[18px] pt-5 text-xs"
    >
      {findings.length > 0 && (
        <h2 className="text-[13px] font-semibold text-over-strong">
          {t("shell.problemCount", { count: findings.length })}
        </h2>
      )}
      <ul>
        {findings.map(({ key, title, text, mend }, number) => (
          <li key={key} className="mt-1.5 text-quiet">
            {/* The gravest is open; the others say their title, and open when pressed. */}
            <details open={number === 0}>
              <summary className="cursor-pointer font-semibold text-text">{title}</summary>
              {text}
              {mend && (
                <Button
                  className="mt-1 w-full bg-panel! px-1! py-1! text-xs! text-text"
                  onClick={() => mendBy(mend)}
                >
                  {mend.label}
                </Button>
              )}
            </details>
          </li>
        ))}
      </ul>
      {aside > 0 && (
        <button
          type="button"
          className="mt-2 text-quiet underline hover:text-text"
          onClick={() => ask({ type: "show_all" })}
        >
          {t("shell.countIgnored", { count: aside })}
        </button>
      )}
    </section>
  );
}
