import type { ReactNode } from "react";

type Props = { title?: string; className?: string; children: ReactNode };

/** A raised area, with a caption if it is a picture. */
export function Panel({ title, className = "", children }: Props) {
  return (
    <figure className={`m-0 min-w-0 rounded-lg bg-panel p-3 ${className}`}>
      {title && <figcaption className="mb-1 text-xs text-quiet">{title}</figcaption>}
      {children}
    </figure>
  );
}
