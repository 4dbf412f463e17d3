/** Inputs down, listeners across: the table, the same in sentences, and what is wrong with it. */

import { useEffect, useRef } from "react";
import { useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { useView } from "../view";
import { FeedRows } from "./FeedRows";
import { FindingCards } from "./FindingCards";
import { InputPanel } from "./InputPanel";
import { LedgerPanel } from "./LedgerPanel";
import { SendTable } from "./SendTable";

export function WhoHearsWhat() {
  const inputs = useLive((live) => live.state?.rig.inputs) ?? [];
  const open = useView((view) => view.inputId);
  const input = inputs.find(({ id }) => id === open);
  const panel = useRef<HTMLDivElement>(null);
  // Where the window is narrow it stands under the table.
  useEffect(() => {
    const isBelow = (panel.current?.getBoundingClientRect().top ?? 0) > window.innerHeight / 2;
    if (open && isBelow) panel.current?.scrollIntoView();
  }, [open]);
  return (
    <div className="flex flex-col gap-3.5 min-[1180px]:flex-row">
      <div className="flex min-w-0 flex-1 flex-col gap-3">
        <SendTable />
        <FeedRows />
      </div>
      <div ref={panel} className="flex shrink-0 flex-col gap-3 min-[1180px]:w-[290px]">
        {input ? (
          <InputPanel key={input.id} input={input} />
        ) : (
          <>
            <GravestFindings />
            <LedgerPanel feed="viewers" />
          </>
        )}
      </div>
    </div>
  );
}

function GravestFindings() {
  const findings = useLevels((levels) => levels?.findings) ?? [];
  return <FindingCards findings={findings.slice(0, 2)} />;
}
