import { stagePath } from "../live/chains";
import { setSetting } from "../live/link";
import { Choice } from "../ui/Choice";
import { Panel } from "../ui/Panel";
import { Setting, useSetting } from "../ui/Setting";
import type { PanelProps } from "./ChainPage";
import { PanelLayout } from "./PanelLayout";
import { ResponsePicture } from "./ResponsePicture";

export function HighPassPanel({ id }: PanelProps) {
  return (
    <PanelLayout
      settings={
        <>
          <Setting path={`${stagePath(id)}.settings.frequency_hz`} />
          <Slope path={`${stagePath(id)}.settings.slope_db_per_octave`} />
        </>
      }
    >
      <Panel className="flex-1" title="What passes, dB: everything left of the slope goes">
        <ResponsePicture id={id} topDb={6} bottomDb={-36} label="The high-pass's response" />
      </Panel>
    </PanelLayout>
  );
}

export function Slope({ path }: { path: string }) {
  const slope = useSetting(path);
  if (!slope) return null;
  return (
    <div className="mt-1 flex items-center justify-between text-[13px]" title={slope.info.help}>
      {slope.info.label}
      <Choice
        label={slope.info.label}
        value={String(slope.value)}
        options={[
          { value: "12", label: "12 dB/oct" },
          { value: "24", label: "24" },
        ]}
        onChange={(value) => setSetting(path, Number(value))}
      />
    </div>
  );
}
