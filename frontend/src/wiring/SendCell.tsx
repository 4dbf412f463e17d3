import { FEED_LABELS } from "../api/facts.gen";
import type { FeedName, InputSettings } from "../api/client";
import { setSetting } from "../live/link";
import { useLevels } from "../live/readings";
import { Choice } from "../ui/Choice";
import { Popover } from "../ui/Popover";
import { roleColour } from "../ui/roles";
import { Setting } from "../ui/Setting";
import { Toggle } from "../ui/Toggle";
import { signless } from "../units/format";
import { t } from "../text/text";

const TAPS = [
  { value: "after_fader", label: t("wiring.postFader") },
  { value: "before_fader", label: t("wiring.preFader") },
  { value: "as_it_came", label: t("wiring.raw") },
];

type Props = { input: InputSettings; feed: FeedName };

/** How one input goes to one listener: read at a glance, set in what opens from it. */
export function SendCell({ input, feed }: Props) {
  const path = `inputs.${input.id}.sends.${feed}`;
  const send = input.sends[feed];
  const isFound = useLevels(
    (levels) => levels?.findings.some(({ marks }) => marks.includes(path)) ?? false,
  );
  const isHeard = send.is_heard && !input.is_muted;
  const level = `${send.level_db > 0 ? "+" : ""}${signless(send.level_db, 1)}`;
  const tap = TAPS.find(({ value }) => value === send.tap)?.label;
  const place = t("wiring.inputToFeed", { input: input.name, feed: FEED_LABELS[feed] });
  return (
    <Popover
      label={place}
      trigger={
        <button
          type="button"
          className={`block h-[42px] w-full min-w-[74px] rounded-md px-2 text-left ${
            send.is_heard ? "bg-raised" : ""
          } ${isFound ? "outline-2 -outline-offset-2 outline-over" : "hover:outline-1 hover:outline-quiet"}`}
        >
          <span className="sr-only">{place}: </span>
          {send.is_heard ? (
            <>
              <span
                className={`figures flex items-center gap-1.5 text-[13px] leading-tight font-semibold ${input.is_muted ? "line-through" : ""}`}
              >
                <span
                  aria-hidden
                  className="size-2.5 rounded-full border-2"
                  style={{
                    borderColor: `var(--${roleColour(input.role)})`,
                    background: isHeard ? `var(--${roleColour(input.role)})` : "transparent",
                  }}
                />
                {level}
                <span className="sr-only">
                  {t("wiring.sendSpoken", { muted: input.is_muted ? "yes" : "no" })}
                </span>
              </span>
              <span className={`block text-[11px] ${isFound ? "text-over-strong" : "text-quiet"}`}>
                {isFound ? t("wiring.seeProblem") : tap}
              </span>
            </>
          ) : (
            <>
              <span className="sr-only">{t("wiring.notHeard")}</span>
              <span
                aria-hidden
                className={`block text-center ${isFound ? "text-over-strong" : "text-quiet"}`}
              >
                {isFound ? "▲" : "—"}
              </span>
            </>
          )}
        </button>
      }
    >
      <h3 className="mb-1 text-[13px] font-semibold">{place}</h3>
      <Toggle path={`${path}.is_heard`} />
      <Setting path={`${path}.level_db`} colour={`var(--${roleColour(input.role)})`} />
      <div className="mt-2">
        <Choice
          label={t("wiring.tap")}
          value={send.tap}
          options={TAPS}
          onChange={(value) => setSetting(`${path}.tap`, value)}
        />
      </div>
    </Popover>
  );
}
