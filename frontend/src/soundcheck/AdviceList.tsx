/** What follows from the takes: a row a stage, each with its reason, to accept, adjust or refuse. */

import { STAGE_LABELS } from "../api/facts.gen";
import { SlidersHorizontal } from "lucide-react";
import { useId, useState, type FormEvent } from "react";
import type { Advice, Outcome, SoundCheck, Wish } from "../api/client";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { useFocusIfLost } from "../ui/focusIfLost";
import { Choice } from "../ui/Choice";
import { Popover } from "../ui/Popover";
import { parseNumber } from "../units/format";
import { run } from "./takes";
import { Switch } from "../ui/Switch";
import { t } from "../text/text";

const STEADINESS: { value: Wish["steadiness"]; label: string }[] = [
  { value: "natural", label: t("soundcheck.natural") },
  { value: "steady", label: t("soundcheck.steady") },
  { value: "very_steady", label: t("soundcheck.verySteady") },
];
const SITUATIONS = [
  { value: "game", label: t("soundcheck.overAGame") },
  { value: "talk", label: t("soundcheck.voiceOnly") },
];
/** The preamp is no stage of the chain: the hand turns it. */
const NAMES: Record<string, string> = { preamp: t("soundcheck.preamp"), ...STAGE_LABELS };

const compute = (wish: Wish) => void run("/run", "POST", wish);

export function WishBar({ check }: { check: SoundCheck }) {
  const { wish } = check;
  return (
    <div className="flex flex-wrap items-center gap-2">
      <Choice
        label={t("soundcheck.steadiness")}
        value={wish.steadiness}
        options={STEADINESS}
        onChange={(steadiness) => compute({ ...wish, steadiness })}
      />
      <Choice
        label={t("soundcheck.background")}
        value={wish.is_over_game ? "game" : "talk"}
        options={SITUATIONS}
        onChange={(value) => compute({ ...wish, is_over_game: value === "game" })}
      />
    </div>
  );
}

export function AdviceList({ check, outcome }: { check: SoundCheck; outcome: Outcome }) {
  return (
    <ul className="divide-y divide-line border-y border-line">
      {outcome.advice.map((advice) => (
        <Row key={advice.stage} advice={advice} check={check} />
      ))}
    </ul>
  );
}

function Row({ advice, check }: { advice: Advice; check: SoundCheck }) {
  const id = useId();
  const name = NAMES[advice.stage] ?? advice.stage;
  const { wish } = check;
  const canChoose = advice.suggestions.length > 0;
  const isAdjusted = Object.keys(wish.adjusted).some((key) => key.startsWith(`${advice.stage}.`));
  const refuse = (isRefused: boolean) => {
    const refused = wish.refused.filter((stage) => stage !== advice.stage);
    compute({ ...wish, refused: isRefused ? [...refused, advice.stage] : refused });
  };
  return (
    <li className="grid grid-cols-[88px_minmax(0,1fr)_auto] items-center gap-x-3 py-1.5">
      <h4 id={id} className="text-[13px] font-semibold">
        {name}
      </h4>
      <div className={advice.is_needed || advice.stage === "preamp" ? "" : "text-quiet"}>
        <p className="figures text-[13px] font-semibold">
          <span className={advice.is_needed ? "text-voice-strong" : ""}>
            {advice.is_refused ? t("soundcheck.refused") : advice.title}
          </span>
          {isAdjusted && (
            <span className="ml-2 font-normal text-quiet">{t("soundcheck.adjusted")}</span>
          )}
          {advice.confidence !== "sure" && (
            <span className="ml-2 font-normal text-quiet">· {advice.confidence}</span>
          )}
        </p>
        <p className="text-xs text-quiet">{advice.reason}</p>
      </div>
      {canChoose && (
        <div className="flex items-center gap-1.5">
          <Popover
            label={t("soundcheck.adjustName", { name })}
            className="w-72"
            trigger={
              <button
                type="button"
                aria-label={t("soundcheck.adjustName", { name })}
                title={t("soundcheck.adjustOrApplyOnlyThis")}
                className="rounded p-1.5 hover:bg-raised"
              >
                <SlidersHorizontal size={14} />
              </button>
            }
          >
            <Adjust advice={advice} wish={wish} />
          </Popover>
          <Switch
            isLarge
            aria-labelledby={id}
            checked={!wish.refused.includes(advice.stage)}
            onCheckedChange={(isOn) => refuse(!isOn)}
          />
        </div>
      )}
    </li>
  );
}

/** Its numbers, typed; they are heard in the proof, and the rest is computed around them. */
function Adjust({ advice, wish }: { advice: Advice; wish: Wish }) {
  const numbers = advice.suggestions.filter(({ value }) => typeof value === "number");
  const [texts, setTexts] = useState(() =>
    Object.fromEntries(numbers.map(({ setting, value }) => [setting, String(value)])),
  );
  const others = Object.fromEntries(
    Object.entries(wish.adjusted).filter(([key]) => !key.startsWith(`${advice.stage}.`)),
  );
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const adjusted = { ...others };
    for (const { setting, value } of numbers) {
      const typed = parseNumber(texts[setting] ?? "");
      const key = `${advice.stage}.${setting}`;
      const was = wish.adjusted[key];
      if (typed !== null && (typed !== value || was !== undefined)) adjusted[key] = typed;
    }
    compute({ ...wish, adjusted });
  };
  return (
    <form onSubmit={submit} className="flex flex-col gap-1.5">
      {numbers.map(({ setting, unit }) => (
        <label key={setting} className="flex items-center justify-between gap-2 text-[13px]">
          {setting
            .replace(/_(dbfs|dbtp|db|hz|ms)$/, "")
            .replaceAll("_", " ")
            .replace(".", ", ")}
          <span className="flex items-center gap-1">
            <input
              value={texts[setting]}
              onChange={(event) => setTexts({ ...texts, [setting]: event.target.value })}
              className="figures w-20 rounded bg-raised px-2 py-0.5 text-right"
            />
            <span className="w-9 text-xs text-quiet">{unit}</span>
          </span>
        </label>
      ))}
      <div className="mt-1.5 flex flex-wrap justify-end gap-1.5">
        <Button onClick={() => compute({ ...wish, adjusted: others })}>
          {t("soundcheck.resetToSuggestion")}
        </Button>
        <Button
          title={t("soundcheck.onlyThisStageGoesInto")}
          onClick={() => void run("/accept", "POST", { stages: [advice.stage] })}
        >
          {t("soundcheck.applyOnlyThis")}
        </Button>
        <Button look="main" type="submit">
          {t("soundcheck.adjust")}
        </Button>
      </div>
    </form>
  );
}

/** Take everything that is switched on into the chain. */
function Accepted() {
  const place = useFocusIfLost<HTMLParagraphElement>();
  return (
    <p ref={place} tabIndex={-1} role="status" className="text-[13px] text-quiet outline-none">
      {t("soundcheck.appliedUndoTakesItBack")}
    </p>
  );
}

export function AcceptAll({ check }: { check: SoundCheck }) {
  const isRunning = useLive((live) => live.state?.is_engine_running ?? false);
  if (check.is_accepted) return <Accepted />;
  return (
    <Button
      look="main"
      disabled={!isRunning || check.run !== null}
      onClick={() => void run("/accept", "POST", {})}
    >
      {t("soundcheck.applyAll")}
    </Button>
  );
}
