/** The takes of a sound check: what each is for, what to read, and how to ask for it. */

import { askSoundCheck, type SoundCheck, type TakeKind } from "../api/client";
import { tell } from "../live/store";

export const KINDS: TakeKind[] = ["room", "low", "usual", "big", "keys"];
export const NEEDED: TakeKind[] = ["room", "low", "usual", "big"];

export const TAKES: Record<TakeKind, { name: string; hint: string; task: string; lines: string }> =
  {
    room: {
      name: "Room",
      hint: "nobody speaks",
      task: "Stay quiet. Let fans and machines run as on air.",
      lines: "",
    },
    low: {
      name: "Low voice",
      hint: "as to someone asleep",
      task: "Read this softly, as when somebody sleeps next door.",
      lines:
        "The lock is asleep. Only the rain still works, drop by drop, on the skylight. If we keep our voices down, the lantern may show us which gate it has been hiding all night.",
    },
    usual: {
      name: "Usual voice",
      hint: "as on any evening",
      task: "Read this as you talk on any evening.",
      lines:
        "Good evening from the towpath. Tonight we try the seventh gate again, with two keys, a borrowed rope, and a map that somebody drew from memory. Pull up a chair: this one may take a while.",
    },
    big: {
      name: "Big voice",
      hint: "the laugh, the shout",
      task: "Read this as loudly as it ever gets on your stream. Laugh, if you can.",
      lines:
        "No, no, no, the gate is open! Somebody hold the rope! Ha! It floats! After three hours of pushing, the whole thing simply floats! Did you see that?",
    },
    keys: {
      name: "Keys",
      hint: "typing, no words; optional",
      task: "Type as you do while you play, and say nothing.",
      lines: "",
    },
  };

/** Ask, and say what went wrong. */
export const run = (...given: Parameters<typeof askSoundCheck>) =>
  askSoundCheck(...given).catch(tell);

export const hasAll = (check: SoundCheck) => NEEDED.every((kind) => check.takes[kind]);
