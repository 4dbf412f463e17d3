/** The takes of a sound check: what each is for, what to read, and how to ask for it. */

import { askSoundCheck, type SoundCheck, type TakeKind } from "../api/client";
import { tell } from "../live/store";
import { t } from "../text/text";

export const KINDS: TakeKind[] = ["room", "low", "usual", "big", "keys"];
export const NEEDED: TakeKind[] = ["room", "low", "usual", "big"];

export const TAKES: Record<TakeKind, { name: string; hint: string; task: string; lines: string }> =
  {
    room: {
      name: t("soundcheck.room"),
      hint: t("soundcheck.nobodySpeaks"),
      task: t("soundcheck.stayQuietLeaveFansAnd"),
      lines: "",
    },
    low: {
      name: t("soundcheck.quietVoice"),
      hint: t("soundcheck.asIfSomeoneIsAsleep"),
      task: t("soundcheck.readThisSoftlyAsIf"),
      lines: t("soundcheck.theLockIsAsleepOnly"),
    },
    usual: {
      name: t("soundcheck.normalVoice"),
      hint: t("soundcheck.asInAnyBroadcast"),
      task: t("soundcheck.readThisAsYouTalk"),
      lines: t("soundcheck.goodEveningFromTheTowpath"),
    },
    big: {
      name: t("soundcheck.loudVoice"),
      hint: t("soundcheck.laughingShouting"),
      task: t("soundcheck.readThisAsLoudAs"),
      lines: t("soundcheck.noNoNoTheGate"),
    },
    keys: {
      name: t("soundcheck.keyboard"),
      hint: t("soundcheck.typingNoSpeechOptional"),
      task: t("soundcheck.typeAsYouDoWhile"),
      lines: "",
    },
  };

/** Ask, and say what went wrong. */
export const run = (...given: Parameters<typeof askSoundCheck>) =>
  askSoundCheck(...given).catch(tell);

export const hasAll = (check: SoundCheck) => NEEDED.every((kind) => check.takes[kind]);
