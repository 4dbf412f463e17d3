import type { ButtonHTMLAttributes } from "react";

type Props = ButtonHTMLAttributes<HTMLButtonElement> & { look?: "main" | "plain" };

export function Button({ look = "plain", className = "", ...rest }: Props) {
  const colours =
    look === "main"
      ? "bg-voice-strong text-on-voice font-semibold"
      : "bg-raised text-text hover:bg-line";
  return (
    <button
      type="button"
      className={`rounded-full px-4 py-1.5 text-[13px] disabled:opacity-50 ${colours} ${className}`}
      {...rest}
    />
  );
}
