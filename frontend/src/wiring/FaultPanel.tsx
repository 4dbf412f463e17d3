import { useState } from "react";
import type { DeviceInfo, FaultInfo } from "../api/client";
import { ask } from "../live/link";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { parseNumber, signless } from "../units/format";
import { t } from "../text/text";

/** What can be made to go wrong with a stand-in, to see what Goshawk does about it. */
export function FaultPanel({ device }: { device: DeviceInfo }) {
  const faults = useLive((live) => live.known?.faults) ?? [];
  return (
    <Panel>
      <h3 className="font-semibold">{t("wiring.simulateAFault")}</h3>
      <p className="mb-1.5 text-xs text-quiet">{t("wiring.thisDeviceIsSimulatedAnd")}</p>
      <div className="flex flex-wrap gap-1.5">
        {faults.map((fault) => (
          <FaultButton key={fault.name} device={device} fault={fault} />
        ))}
      </div>
    </Panel>
  );
}

function FaultButton({ device, fault }: { device: DeviceInfo; fault: FaultInfo }) {
  const [typed, setTyped] = useState(signless(fault.default, 0));
  const send = (value: number | null) =>
    ask({ type: "fault", device: device.id, fault: fault.name, value });
  if (!fault.unit) {
    return (
      <Button
        className="px-2.5! py-1! text-xs!"
        look={fault.name === "heal" ? "main" : "plain"}
        onClick={() => send(null)}
      >
        {fault.label}
      </Button>
    );
  }
  return (
    <form
      className="flex items-center rounded-full bg-raised text-xs"
      onSubmit={(event) => {
        event.preventDefault();
        send(parseNumber(typed));
      }}
    >
      <button type="submit" className="rounded-full py-1 pr-1 pl-2.5 hover:bg-line">
        {fault.label}
      </button>
      <input
        aria-label={`${fault.label}, ${fault.unit}`}
        inputMode="decimal"
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        className="figures w-13 rounded bg-panel px-1 py-0.5 text-right"
      />
      <span className="px-2 text-quiet">{fault.unit}</span>
    </form>
  );
}
