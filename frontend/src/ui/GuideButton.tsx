/** Opens the guide's place on what stands beside it. */

import { openGuide } from "../guideView";
import { t } from "../text/text";

type Props = { page: string; at?: string; about: string };

export function GuideButton({ page, at = "", about }: Props) {
  return (
    <button
      type="button"
      aria-label={t("ui.guideAbout", { about })}
      title={t("ui.guideAbout", { about })}
      onClick={() => openGuide(page, at)}
      className="size-6 shrink-0 rounded-full bg-raised text-[13px] font-semibold text-quiet hover:bg-line hover:text-text"
    >
      ?
    </button>
  );
}
