/** A setting's name, which opens its help: what it is for, what its present value does, and its range. */

import { Popover } from "radix-ui";
import type { RefObject } from "react";
import { openGuide } from "../guideView";
import { settingPlace } from "../guidePlace";
import { useLive } from "../live/store";
import type { SettingInfo } from "../api/settings";
import { digitsOf } from "../units/format";
import { nowSentence, rangeSentence } from "../units/reads";
import { Button } from "./Button";
import { t } from "../text/text";

type Props = {
  path: string;
  name: string;
  /** What is written, where the place itself says the rest. */
  shortName?: string;
  value: number;
  info: SettingInfo;
  isOpen: boolean;
  onOpen: (isOpen: boolean) => void;
  /** Where the focus belongs when it closes. */
  returnTo: RefObject<HTMLElement | null>;
};

export function SettingHelp({
  path,
  name,
  shortName,
  value,
  info,
  isOpen,
  onOpen,
  returnTo,
}: Props) {
  const rig = useLive((live) => live.state?.rig);
  const digits = digitsOf(info.step);
  const place = rig ? settingPlace(path, rig) : null;
  return (
    <Popover.Root open={isOpen} onOpenChange={onOpen}>
      <Popover.Trigger asChild>
        {/* By keyboard it opens with F1 on the slider: one stop for a setting is enough. */}
        <button
          type="button"
          tabIndex={-1}
          aria-label={t("ui.helpName", { name })}
          className="-my-1 min-w-0 truncate py-1 text-left text-[13px] decoration-quiet decoration-dotted underline-offset-4 hover:underline"
        >
          {shortName ?? name}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={t("ui.helpOnName", { name })}
          onCloseAutoFocus={(event) => {
            event.preventDefault();
            returnTo.current?.focus();
          }}
          align="start"
          sideOffset={6}
          collisionPadding={10}
          className="z-20 w-72 rounded-lg border border-line bg-panel p-3 text-[13px] shadow-xl"
        >
          <h3 className="font-semibold">{name}</h3>
          <p className="mt-1">{info.help}</p>
          <p className="mt-1.5">{nowSentence(value, info, digits)}</p>
          <p className="mt-1.5 text-xs text-quiet">{rangeSentence(info, digits)}</p>
          {place && (
            <Button
              className="mt-2.5 py-1!"
              onClick={() => {
                onOpen(false);
                openGuide(place.page, place.at);
              }}
            >
              {t("ui.openInTheGuide")}
            </Button>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
