/** Which page of the guide is open, and at which heading. */

import { create } from "zustand";

type GuideView = { page: string; at: string; isOpen: boolean };

export const useGuide = create<GuideView>(() => ({ page: "the-job", at: "", isOpen: false }));

export const openGuide = (page: string, at = "") => useGuide.setState({ page, at, isOpen: true });
export const closeGuide = () => useGuide.setState({ isOpen: false });
