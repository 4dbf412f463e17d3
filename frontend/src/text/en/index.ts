/** Every text of the page in English, by area. Another language is a file with the same keys. */

import { api } from "./api";
import { balance } from "./balance";
import { chain } from "./chain";
import { levelpath } from "./levelpath";
import { listen } from "./listen";
import { live } from "./live";
import { page } from "./page";
import { pictures } from "./pictures";
import { record } from "./record";
import { shell } from "./shell";
import { small } from "./small";
import { soundcheck } from "./soundcheck";
import { ui } from "./ui";
import { units } from "./units";
import { watch } from "./watch";
import { wiring } from "./wiring";

export const en = {
  api,
  balance,
  chain,
  levelpath,
  listen,
  live,
  page,
  pictures,
  record,
  shell,
  small,
  soundcheck,
  ui,
  units,
  watch,
  wiring,
} as const;
