import { Plus } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { ask } from "../live/link";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { ROLE_LABELS, ROLES } from "../ui/roles";
import { openWiring, useView, WIRING_VIEWS, type WiringView } from "../view";
import { DelayView } from "./DelayView";
import { DevicesView } from "./DevicesView";
import { GainView } from "./GainView";
import { WhoHearsWhat } from "./WhoHearsWhat";

const VIEWS: Record<WiringView, () => React.ReactNode> = {
  "Who hears what": WhoHearsWhat,
  Devices: DevicesView,
  "Microphone gain": GainView,
  Delay: DelayView,
};

export function WiringPage() {
  const wiring = useView((view) => view.wiring);
  const View = VIEWS[wiring];
  return (
    <>
      <div className="mb-2.5 flex items-center gap-4">
        <h2 className="text-[19px] font-semibold">Wiring</h2>
        <Choice
          label="Part of the wiring"
          value={wiring}
          options={WIRING_VIEWS.map((view) => ({ value: view, label: view }))}
          onChange={(view) => openWiring(view as WiringView)}
        />
        <div className="flex-1" />
        <AddInput />
      </div>
      <View />
    </>
  );
}

function AddInput() {
  const count = useLive((live) => live.state?.rig.inputs.length) ?? 0;
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button className="flex items-center gap-1.5">
          <Plus size={14} /> Add input
        </Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-20 rounded-lg border border-line bg-panel p-1 shadow-xl"
        >
          {ROLES.map((role) => (
            <DropdownMenu.Item
              key={role}
              onSelect={() => {
                ask({ type: "add_input", role });
                openWiring("Who hears what");
              }}
              className="cursor-pointer rounded px-3 py-1.5 text-[13px] data-highlighted:bg-raised"
            >
              {ROLE_LABELS[role]}
            </DropdownMenu.Item>
          ))}
          <p className="px-3 py-1 text-xs text-quiet">{count} inputs now</p>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
