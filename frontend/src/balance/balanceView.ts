/** What this window shows of the balance; it stays when another task is opened. */

import { create } from "zustand";
import { t } from "../text/text";

export const WINDOWS = [3, 10, 30];
export const SPANS = [
  { value: "10", label: t("balance.tenSeconds") },
  { value: "600", label: t("balance.tenMinutes") },
];

type View = { window: number; span: string; words: string };

export const useBalanceView = create<View>(() => ({ window: 10, span: "10", words: "10" }));
export const setWindow = (window: number) => useBalanceView.setState({ window });
export const setWords = (words: string) => useBalanceView.setState({ words });
export const setSpan = (span: string) => useBalanceView.setState({ span });
