import { setSetting } from "../live/link";
import { useLevels } from "../live/readings";
import { Button } from "../ui/Button";

/** What is wrong now, each with the one change that mends it. */
export function Findings() {
  const findings = useLevels()?.findings ?? [];
  if (!findings.length) return null;
  return (
    <section aria-label="Findings" className="overflow-auto px-[18px] pt-6 text-xs">
      <h2 className="text-[13px] font-semibold text-voice-strong">
        {findings.length === 1 ? "1 finding" : `${findings.length} findings`}
      </h2>
      <ul>
        {findings.map(({ code, text, mend }) => (
          <li key={code} className="mt-1.5 text-quiet">
            {text}
            {mend && (
              <Button
                className="mt-1.5 w-full bg-panel! px-1! py-1! text-xs! text-text"
                onClick={() => setSetting(mend.path, mend.value)}
              >
                {mend.label}
              </Button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
