import { setSetting } from "../live/link";
import { useLevels } from "../live/readings";
import { Button } from "../ui/Button";

/** What is wrong now, each with the one change that mends it. */
export function Findings() {
  const findings = useLevels()?.findings ?? [];
  return (
    <ul aria-label="Findings" className="mt-3 flex flex-col gap-1.5">
      {findings.map(({ code, text, mend }) => (
        <li key={code} className="flex items-center gap-3 text-[13px]">
          <span className="text-over-text">▲</span> {text}
          {mend && (
            <Button className="py-1!" onClick={() => setSetting(mend.path, mend.value)}>
              {mend.label}
            </Button>
          )}
        </li>
      ))}
    </ul>
  );
}
