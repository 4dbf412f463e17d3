/** The programs that make or record sound on this computer: one's sound is taken as an input with a press, and given back
 * with another; one that records is handed a virtual microphone. */

import type { Program, State } from "../api/client";
import { ask } from "../live/link";
import { useLive } from "../live/store";
import { AddMenu } from "../ui/AddMenu";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { sourceLabel, VIRTUAL } from "./outputs";

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
      <h3 className="text-[13px] font-semibold">Programs on this computer</h3>
      {!programs.length && !waiting.length && (
        <p className="py-1 text-xs text-quiet">
          None plays or records now. Start one, and it shows here.
        </p>
      )}
      <ul aria-label="Programs" className="text-[13px]">
        {programs.map((program) => (
          <li
            key={`${program.plays ? "p" : "r"}${program.id}`}
            className="flex items-center gap-3 border-line py-1.5 not-last:border-b"
          >
            <span className="min-w-0 flex-1">
              <b className="font-semibold">{program.name}</b>{" "}
              <span className="text-quiet">
                {program.plays ? "plays into" : "records from"} {program.device || "nothing"}
              </span>
              {program.volume < 0.995 || program.is_muted ? (
                <span className="block text-xs text-voice-strong">
                  turned {program.is_muted ? "off" : `to ${(program.volume * 100).toFixed(0)} %`} in
                  the system
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
              {input.name} takes the sound of <b>{input.takes}</b> as soon as it plays
            </span>
            <Button onClick={() => giveBack(input.id)}>Let it be</Button>
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
        aria-label={`Give the sound of ${program.name} back`}
      >
        Give back, it is {taker.name}
      </Button>
    );
  }
  return (
    <AddMenu
      label={`Take its sound as …`}
      name={`Take the sound of ${program.name} as`}
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
        aria-label={`Give ${program.name} back the microphone that it had`}
      >
        Give back, it hears {sourceLabel(state.rig, given)}
      </Button>
    );
  }
  if (!sources.length) {
    return <span className="text-xs text-quiet">add a virtual microphone to hand it one</span>;
  }
  return (
    <AddMenu
      label="Hand it …"
      name={`Hand ${program.name} the virtual microphone of`}
      items={sources.map((source) => ({ value: source, label: sourceLabel(state.rig, source) }))}
      onChoose={hand}
    />
  );
}
