import { GuideButton } from "../ui/GuideButton";
import { ask } from "../live/link";
import { AddMenu } from "../ui/AddMenu";
import { Choice } from "../ui/Choice";
import { ROLE_LABELS, ROLES } from "../ui/roles";
import { useLive } from "../live/store";
import {
  openInput,
  openWiring,
  taskLabel,
  useView,
  WIRING_VIEWS,
  wiringLabel,
  type WiringView,
} from "../view";
import { AddressesView } from "./AddressesView";
import { DelayView } from "./DelayView";
import { DevicesView } from "./DevicesView";
import { GainView } from "./GainView";
import { OutputsView } from "./OutputsView";
import { WhoHearsWhat } from "./WhoHearsWhat";
import { t } from "../text/text";

const VIEWS: Record<WiringView, () => React.ReactNode> = {
  sends: WhoHearsWhat,
  outputs: OutputsView,
  devices: DevicesView,
  gain: GainView,
  delay: DelayView,
  addresses: AddressesView,
};

export function WiringPage() {
  const wiring = useView((view) => view.wiring);
  const View = VIEWS[wiring];
  return (
    <>
      <div className="mb-2.5 flex items-center gap-4">
        <h2 className="text-[19px] font-semibold">{taskLabel("wiring")}</h2>
        <GuideButton page="wiring" about={t("wiring.thisTask")} />
        <Choice
          label={t("wiring.sectionsOfWiring")}
          value={wiring}
          options={WIRING_VIEWS.map((view) => ({ value: view, label: wiringLabel(view) }))}
          onChange={(view) => openWiring(view)}
        />
        <div className="flex-1" />
        <AddInput />
      </div>
      <View />
    </>
  );
}

/** The input that comes next is opened: it has no device yet. */
function openWhenThere() {
  const before = new Set(useLive.getState().state?.rig.inputs.map(({ id }) => id));
  const stop = useLive.subscribe(({ state }) => {
    const fresh = state?.rig.inputs.find(({ id }) => !before.has(id));
    if (!fresh) return;
    openInput(fresh.id);
    stop();
  });
  window.setTimeout(stop, 5000);
}

const NEW_INPUTS = ROLES.map((role) => ({ value: role, label: ROLE_LABELS[role] }));

function AddInput() {
  return (
    <AddMenu
      label={t("wiring.addInput")}
      items={NEW_INPUTS}
      onChoose={(role) => {
        openWhenThere();
        ask({ type: "add_input", role });
        openWiring("sends");
      }}
    />
  );
}
