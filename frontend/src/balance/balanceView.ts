/** What this window shows of the balance; it stays when another task is opened. */

import { create } from "zustand";

export const WINDOWS = [3, 10, 30];
export const SPANS = ["10 s", "10 min"] as const;

type View = { window: number; span: string; words: string };

export const useBalanceView = create<View>(() => ({ window: 10, span: "10 s", words: "10" }));
export const setWindow = (window: number) => useBalanceView.setState({ window });
export const setWords = (words: string) => useBalanceView.setState({ words });
export const setSpan = (span: string) => useBalanceView.setState({ span });
