/** The guide, over the page: its pages on the left, a search above them, the text on the right. */

import { Dialog } from "radix-ui";
import { useEffect, useRef, useState, type MouseEvent } from "react";
import { closeGuide, openGuide, useGuide } from "../guideView";
import { Button } from "../ui/Button";
import { indexOf, pagesOf, sectionsOf } from "./guidePages";
import { t } from "../text/text";

const FILES = import.meta.glob<string>("../../../docs/guide/*.md", {
  query: "?raw",
  import: "default",
  eager: true,
});
const PAGES = pagesOf(FILES);
const INDEX = indexOf(sectionsOf(FILES));
const MOST_FOUND = 12;
const EXCERPT = 90;

export default function Guide() {
  const { page, at, isOpen } = useGuide();
  return (
    <Dialog.Root open={isOpen} onOpenChange={(open) => !open && closeGuide()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-black/50" />
        <Dialog.Content
          aria-describedby={undefined}
          onOpenAutoFocus={(event) => {
            // The heading that was asked for has it.
            if (at) event.preventDefault();
          }}
          className="fixed inset-x-[6vw] inset-y-[5vh] mx-auto grid max-w-[1040px] grid-cols-[230px_minmax(0,1fr)] grid-rows-[minmax(0,1fr)] rounded-lg border border-line bg-panel"
        >
          <Sidebar shown={page} />
          <Article page={page} at={at} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Sidebar({ shown }: { shown: string }) {
  const [wanted, setWanted] = useState("");
  const found = wanted.trim() ? INDEX.search(wanted).slice(0, MOST_FOUND) : null;
  return (
    <div className="flex min-h-0 flex-col gap-2 border-r border-line p-4">
      <Dialog.Title className="text-lg font-semibold">{t("shell.guide")}</Dialog.Title>
      <input
        type="search"
        aria-label={t("shell.searchTheGuide")}
        placeholder={t("shell.search")}
        value={wanted}
        onChange={(event) => setWanted(event.target.value)}
        className="rounded bg-raised px-2 py-1 text-[13px]"
      />
      <nav aria-label={t("shell.pagesOfTheGuide")} className="min-h-0 flex-1 overflow-auto">
        {found?.length === 0 && <p className="text-[13px] text-quiet">{t("shell.nothingFound")}</p>}
        <ul>
          {found
            ? found.map((one) => (
                <li key={one.id as string}>
                  <button
                    type="button"
                    onClick={() => openGuide(one.page as string, one.at as string)}
                    className="w-full rounded px-2 py-1 text-left text-[13px] hover:bg-raised"
                  >
                    {one.title}
                    <span className="block truncate text-xs text-quiet">
                      {(one.text as string).slice(0, EXCERPT)}
                    </span>
                  </button>
                </li>
              ))
            : PAGES.map(({ name, title }) => (
                <li key={name}>
                  <button
                    type="button"
                    aria-current={name === shown ? "page" : undefined}
                    onClick={() => openGuide(name)}
                    className={`w-full rounded px-2 py-1 text-left text-[13px] ${
                      name === shown ? "bg-raised font-semibold" : "hover:bg-raised"
                    }`}
                  >
                    {title}
                  </button>
                </li>
              ))}
        </ul>
      </nav>
      <Dialog.Close asChild>
        <Button>{t("shell.close")}</Button>
      </Dialog.Close>
    </div>
  );
}

function Article({ page, at }: { page: string; at: string }) {
  const place = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const heading = at ? place.current?.querySelector<HTMLElement>(`#${CSS.escape(at)}`) : null;
    if (heading) {
      heading.scrollIntoView();
      heading.focus({ preventScroll: true });
    } else place.current?.scrollTo(0, 0);
  }, [page, at]);
  const follow = (event: MouseEvent) => {
    const link = event.target instanceof Element ? event.target.closest("a") : null;
    const goal = link?.getAttribute("href");
    if (!goal || goal.includes("://")) return;
    event.preventDefault();
    const [name = "", heading = ""] = goal.split("#");
    openGuide(name || page, heading);
  };
  const html = PAGES.find(({ name }) => name === page)?.html ?? "";
  return (
    <div
      ref={place}
      tabIndex={0}
      role="document"
      aria-label={t("shell.textOfTheGuide")}
      onClick={follow}
      className="guide min-h-0 overflow-auto px-7 py-5"
      // The text is ours, bundled when the page is built.
      dangerouslySetInnerHTML={{ __html: html }}
    />
  );
}
