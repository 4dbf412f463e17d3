/** What is wrong with a device, in words. */

import { t } from "../text/text";

const STATES: Record<string, string> = {
  unplugged: t("wiring.unplugged"),
  waiting: t("wiring.noSignalYet"),
  "no file": t("wiring.noFileChosen"),
  ended: t("wiring.ended"),
};

/** The words for a device's state; undefined while it plays. */
export const deviceTrouble = (state: string): string | undefined => STATES[state];
