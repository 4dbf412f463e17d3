import { useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { EqSettings } from "../api/client";
import { nudgeSetting, setTogether, tryTogether } from "../live/link";
import { Panel } from "../ui/Panel";
import { Setting, useSetting } from "../ui/Setting";
import { Toggle } from "../ui/Toggle";
import { signless, spoken } from "../units/format";
import { BANDS, hertz, hzOfShare, octavesOf, shareOfHz, type BandName } from "./bands";
import { Slope } from "../ui/Slope";
import { PanelLayout } from "./PanelLayout";
import { AuditionTone, BandAlone } from "./BandEars";
import { MARGIN } from "./frequencyAxis";
import { ResponsePicture } from "./ResponsePicture";
import { t } from "../text/text";

const TOP_DB = 18;
const KEY_RUN_MS = 500;

type Props = {
  /** Where its settings are, as a path. */
  path: string;
  settings: EqSettings;
  /** The stage's id. */
  id: string;
  title: string;
};

/** An EQ: the chosen band's settings, and the curve with a point for each band. */
export function EqEditor({ path: root, settings, id, title }: Props) {
  const [band, setBand] = useState<BandName>("bell_2");
  const path = `${root}.${band}`;
  const label = BANDS.find(({ name }) => name === band)?.label ?? band;
  const own = settings[band];
  return (
    <PanelLayout
      settings={
        <section aria-label={label}>
          <h3 className="font-semibold">{label}</h3>
          <Toggle path={`${path}.is_on`} />
          <Setting path={`${path}.frequency_hz`} />
          {"gain_db" in own && <Setting path={`${path}.gain_db`} />}
          {"q" in own && (
            <>
              <Setting path={`${path}.q`} />
              <p className="text-xs text-quiet">
                {t("pictures.octavesOctavesWide", { octaves: octavesOf(own.q).toFixed(1) })}
              </p>
            </>
          )}
          <div className="flex gap-1.5 py-2">
            <BandAlone stageId={id} band={band} label={label} />
            <AuditionTone hz={own.frequency_hz} />
          </div>
          {"slope_db_per_octave" in own && <Slope path={`${path}.slope_db_per_octave`} />}
        </section>
      }
    >
      <Panel className="flex-1" title={title}>
        <ResponsePicture
          id={id}
          topDb={TOP_DB}
          bottomDb={-TOP_DB}
          label={t("pictures.eqFrequencyResponse")}
        >
          {BANDS.map((one) => (
            <Handle
              key={one.name}
              path={`${root}.${one.name}`}
              band={settings[one.name]}
              label={one.label}
              short={one.short}
              isChosen={one.name === band}
              onChoose={() => setBand(one.name)}
            />
          ))}
        </ResponsePicture>
      </Panel>
    </PanelLayout>
  );
}

type HandleProps = {
  path: string;
  band: EqSettings[BandName];
  label: string;
  short: string;
  isChosen: boolean;
  onChoose: () => void;
};

/** A band's point on the curve: across is its frequency, up its gain. */
function Handle({ path, band, label, short, isChosen, onChoose }: HandleProps) {
  const frequency = useSetting(`${path}.frequency_hz`);
  const gain = useSetting(`${path}.gain_db`);
  const place = useRef<HTMLButtonElement>(null);
  const newest = useRef<Record<string, number> | null>(null);
  /** Where it was gripped: it moves by what it is dragged. */
  const grip = useRef({ x: 0, y: 0, dx: 0, dy: 0 });
  const pressed = useRef({ at: -Infinity, hz: 0, gainDb: 0 });
  if (!frequency) return null;
  const gainDb = "gain_db" in band ? band.gain_db : 0;
  const hasGain = "gain_db" in band;

  const valuesAt = (event: PointerEvent): Record<string, number> => {
    const area = place.current?.parentElement?.getBoundingClientRect();
    if (!area) return {};
    const share =
      (event.clientX - grip.current.dx - area.left - MARGIN.left) /
      (area.width - MARGIN.left - MARGIN.right);
    const height = area.height - MARGIN.top - MARGIN.bottom;
    const up =
      TOP_DB - ((event.clientY - grip.current.dy - area.top - MARGIN.top) / height) * 2 * TOP_DB;
    const { minimum, maximum } = frequency.info;
    const hz = Math.round(Math.max(minimum, Math.min(maximum, hzOfShare(share))));
    const most = gain?.info.maximum ?? 0;
    return {
      [`${path}.frequency_hz`]: hz,
      ...(hasGain && {
        [`${path}.gain_db`]: Math.round(Math.max(-most, Math.min(most, up)) * 10) / 10,
      }),
    };
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const fine = event.shiftKey ? 0.1 : 1;
    const { minimum, maximum } = frequency.info;
    // Keys that follow quickly go on from where the last one led, not from what has come back.
    const now = performance.now();
    if (now - pressed.current.at > KEY_RUN_MS) {
      pressed.current = { at: now, hz: band.frequency_hz, gainDb };
    }
    pressed.current.at = now;
    if (event.key === "ArrowLeft" || event.key === "ArrowRight") {
      const step = 2 ** ((event.key === "ArrowRight" ? 1 : -1) * (fine / 12));
      const hz = Math.max(minimum, Math.min(maximum, pressed.current.hz * step));
      pressed.current.hz = hz;
      nudgeSetting(`${path}.frequency_hz`, Math.round(hz * 10) / 10);
    } else if (hasGain && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
      const most = gain?.info.maximum ?? 0;
      const moved = pressed.current.gainDb + (event.key === "ArrowUp" ? 0.5 : -0.5) * fine;
      const next = Math.max(-most, Math.min(most, Math.round(moved * 100) / 100));
      pressed.current.gainDb = next;
      nudgeSetting(`${path}.gain_db`, next);
    } else return;
    event.preventDefault();
  };
  const words = t("pictures.bandSpoken", {
    name: label,
    frequency: hertz(band.frequency_hz),
    gain: hasGain ? spoken(gainDb, "dB", 1) : "none",
    state: band.is_on ? "on" : "off",
  });
  return (
    <button
      ref={place}
      type="button"
      aria-pressed={isChosen}
      title={t("pictures.bandTitle", {
        name: label,
        frequency: hertz(band.frequency_hz),
        gain: hasGain ? signless(gainDb, 1) : "none",
      })}
      onFocus={onChoose}
      onKeyDown={onKeyDown}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        const { left, top, width, height } = event.currentTarget.getBoundingClientRect();
        const { clientX: x, clientY: y } = event;
        grip.current = { x, y, dx: x - left - width / 2, dy: y - top - height / 2 };
        onChoose();
      }}
      onPointerMove={(event) => {
        if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
        const isStill = event.clientX === grip.current.x && event.clientY === grip.current.y;
        if (isStill && !newest.current) return;
        newest.current = valuesAt(event);
        tryTogether(newest.current);
      }}
      onLostPointerCapture={() => {
        if (newest.current) setTogether(newest.current);
        newest.current = null;
      }}
      className={`absolute flex size-6 -translate-1/2 touch-none items-center justify-center rounded-full border-2 text-[11px] font-semibold ${
        isChosen ? "border-text bg-voice-strong text-on-voice" : "border-voice bg-panel text-text"
      } ${band.is_on ? "" : "border-dashed"}`}
      style={{
        left: `calc(${MARGIN.left}px + (100% - ${MARGIN.left + MARGIN.right}px) * ${shareOfHz(band.frequency_hz)})`,
        top: `calc(${MARGIN.top}px + (100% - ${MARGIN.top + MARGIN.bottom}px) * ${(TOP_DB - gainDb) / (2 * TOP_DB)})`,
      }}
    >
      <span className="sr-only">{words}</span>
      <span aria-hidden>{short}</span>
    </button>
  );
}
