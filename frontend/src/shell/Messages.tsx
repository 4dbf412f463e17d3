import { X } from "lucide-react";
import { useLive } from "../live/store";
import { t } from "../text/text";

/**
 * Sentences from the server and from the page, the newest first; each stays until it is put away, or newer news comes. They
 * lie over the level path's right end, where there is nothing to press, never lower than that, and move nothing under the hand.
 */
export function Messages() {
  const messages = useLive((live) => live.messages);
  const status = useLive((live) => live.status);
  const dismiss = useLive((live) => live.dismiss);
  return (
    <div
      role="log"
      aria-label={t("shell.messages")}
      aria-live="polite"
      className="pointer-events-none absolute top-full right-0 z-30 flex max-h-[150px] w-[264px] flex-col gap-1 overflow-y-auto p-1.5"
    >
      {status === "lost" && (
        <p className="pointer-events-auto shrink-0 rounded-md border border-over bg-panel px-3 py-2 text-[13px] text-over-strong shadow-lg">
          {t("shell.noConnectionToGoshawkReconnecting")}
        </p>
      )}
      {[...messages].reverse().map((message) => (
        <div
          key={message.id}
          className="pointer-events-auto flex shrink-0 items-start gap-1.5 rounded-md border border-line bg-panel py-1.5 pr-1 pl-3 text-[13px] leading-snug shadow-lg"
        >
          <p className={`flex-1 ${message.level === "trouble" ? "text-over-strong" : ""}`}>
            {message.level === "trouble" && "▲ "}
            {message.text}
          </p>
          <button
            type="button"
            aria-label={t("shell.dismissThisMessage")}
            className="rounded p-1 hover:bg-raised"
            onClick={() => dismiss(message.id)}
          >
            <X size={15} />
          </button>
        </div>
      ))}
    </div>
  );
}
