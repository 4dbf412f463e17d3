import { X } from "lucide-react";
import { useLive } from "../live/store";

/** Sentences from the server and from the page; each stays until it is put away, or newer news comes. */
export function Messages() {
  const messages = useLive((live) => live.messages);
  const status = useLive((live) => live.status);
  const dismiss = useLive((live) => live.dismiss);
  return (
    <div role="log" aria-label="Messages" aria-live="polite">
      {status === "lost" && (
        <p className="border-b border-over bg-panel px-[18px] py-2 text-over-strong">
          ▲ There is no connection to Goshawk. It is being tried again; what you hear may go on.
        </p>
      )}
      {messages.map((message) => (
        <div
          key={message.id}
          className="flex items-center gap-3 border-b border-line bg-panel px-[18px] py-1.5 text-[13px]"
        >
          <p className={`flex-1 ${message.level === "trouble" ? "text-over-strong" : ""}`}>
            {message.level === "trouble" && "▲ "}
            {message.text}
          </p>
          <button
            type="button"
            aria-label="Put this message away"
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
