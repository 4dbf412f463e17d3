/** The programs that make or record sound on this computer: one's sound is taken as an input with a press, and given back
 * with another; one that records is handed a virtual microphone. */

import type { Program, State } from "../api/client";
import { ask } from "../live/link";
import { useLive } from "../live/store";
import { AddMenu } from "../ui/AddMenu";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { sourceLabel, VIRTUAL } from "./outputs";
import { t } from "../text/text";

export function Programs() {
  const state = useLive((live) => live.state);
  if (!state?.computer.server) return null;
  const { programs } = state.computer;
  const takers = state.rig.inputs.filter(({ takes }) => takes);
  const waiting = takers.filter(
    ({ takes }) => !programs.some(({ name, plays }) => plays && name === takes),
  );
  return (
    <Panel>
      <h3 className="text-[13px] font-semibold">{t("wiring.programsOnThisComputer")}</h3>
      {!programs.length && !waiting.length && (
        <p className="py-1 text-xs text-quiet">{t("wiring.noProgramIsPlayingOr")}</p>
      )}
      <ul aria-label={t("wiring.programs")} className="text-[13px]">
        {programs.map((program) => (
          <li
            key={`${program.plays ? "p" : "r"}${program.id}`}
            className="flex items-center gap-3 border-line py-1.5 not-last:border-b"
          >
            <span className="min-w-0 flex-1">
              <b className="font-semibold">{program.name}</b>{" "}
              <span className="text-quiet">
                {program.plays ? t("wiring.playsTo") : t("wiring.recordsFrom")}{" "}
                {program.device || t("wiring.nothing")}
              </span>
              {program.volume < 0.995 || program.is_muted ? (
                <span className="block text-xs text-voice-strong">
                  {t("wiring.systemVolume", {
                    muted: program.is_muted ? "yes" : "no",
                    percent: (program.volume * 100).toFixed(0),
                  })}
                </span>
              ) : null}
            </span>
            {program.plays ? (
              <Take state={state} program={program} />
            ) : (
              <Hand state={state} program={program} />
            )}
          </li>
        ))}
        {waiting.map((input) => (
          <li key={input.id} className="flex items-center gap-3 py-1.5 text-quiet">
            <span className="min-w-0 flex-1">
              {t("wiring.nameReceives", { name: input.name })} <b>{input.takes}</b>{" "}
              {t("wiring.asSoonAsItPlays")}
            </span>
            <Button onClick={() => giveBack(input.id)}>{t("wiring.stopRouting")}</Button>
          </li>
        ))}
      </ul>
    </Panel>
  );
}

const giveBack = (input_id: string) => ask({ type: "take_program", input_id, program: "" });

type Props = { state: State; program: Program };

function Take({ state, program }: Props) {
  const taker = state.rig.inputs.find(({ takes }) => takes === program.name);
  if (taker) {
    return (
      <Button
        onClick={() => giveBack(taker.id)}
        aria-label={t("wiring.returnNameToItsOwn", { name: program.name })}
      >
        {t("wiring.returnToItsOwnDevice", { name: taker.name })}
      </Button>
    );
  }
  return (
    <AddMenu
      label={t("wiring.routeTo")}
      name={t("wiring.routeNameTo", { name: program.name })}
      items={state.rig.inputs.map(({ id, name }) => ({ value: id, label: name }))}
      onChoose={(input_id) => ask({ type: "take_program", input_id, program: program.name })}
    />
  );
}

function Hand({ state, program }: Props) {
  const sources = state.rig.outputs
    .filter(({ device }) => device === VIRTUAL)
    .map(({ source }) => source);
  const given = sources.find((source) => `microphone:${source}` === program.key);
  const hand = (source: string) => ask({ type: "hand_microphone", program_id: program.id, source });
  if (given) {
    return (
      <Button
        onClick={() => hand(given)}
        aria-label={t("wiring.returnNameToItsOwnMicrophone", { name: program.name })}
      >
        {t("wiring.returnToItsOwnMicrophone", { name: sourceLabel(state.rig, given) })}
      </Button>
    );
  }
  if (!sources.length) {
    return <span className="text-xs text-quiet">{t("wiring.addAVirtualMicrophoneTo")}</span>;
  }
  return (
    <AddMenu
      label={t("wiring.changeMicrophone")}
      name={t("wiring.microphoneForName", { name: program.name })}
      items={sources.map((source) => ({ value: source, label: sourceLabel(state.rig, source) }))}
      onChoose={hand}
    />
  );
}
