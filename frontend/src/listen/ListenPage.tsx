/** A bare page that plays one thing and shows that it does: a source inside another program, or a second device. */

import { useEffect, useRef, useState } from "react";
import { liveAddress } from "../live/address";
import { makeContext, makePlayer } from "../live/player";
import { Button } from "../ui/Button";
import { LevelBar } from "../ui/LevelBar";
import type { Wanted } from "./address";
import { t } from "../text/text";

const RETRY_MS = 1000;
const REFUSED = 1008;
const LEVEL_EVERY_MS = 100;
const FALLS_DB = 2;

/** A player that may begin takes a moment to; only one that has not begun by then waits for a press. */
const ASKS_AFTER_MS = 700;

const SILENT_DB = -120;

type Standing = { kind: "waiting" | "playing" | "lost" } | { kind: "refused"; text: string };

export function ListenPage({ wanted }: { wanted: Wanted | null }) {
  if (!wanted) {
    return (
      <Frame>
        <p>{t("listen.thisAddressIsNotValid")}</p>
      </Frame>
    );
  }
  return <Playing wanted={wanted} />;
}

function Playing({ wanted }: { wanted: Wanted }) {
  const [standing, setStanding] = useState<Standing>({ kind: "waiting" });
  /** Not known at first. */
  const [isBlocked, setBlocked] = useState<boolean>();
  const [dbfs, setDbfs] = useState(SILENT_DB);
  const context = useRef<AudioContext | null>(null);

  useEffect(() => {
    let socket: WebSocket | null = null;
    let player: AudioWorkletNode | null = null;
    let peak = 0;
    let isOver = false;
    let again = 0;
    let asking = 0;

    function look(made: AudioContext) {
      window.clearTimeout(asking);
      if (made.state === "running") setBlocked(false);
      else asking = window.setTimeout(() => setBlocked(true), ASKS_AFTER_MS);
    }

    function open() {
      const query = new URLSearchParams({ what: wanted.what, token: wanted.token });
      socket = new WebSocket(liveAddress(`/api/listen?${query}`));
      socket.binaryType = "arraybuffer";
      socket.onmessage = (event: MessageEvent<ArrayBuffer>) => {
        for (const sample of new Float32Array(event.data)) peak = Math.max(peak, Math.abs(sample));
        setStanding((now) => (now.kind === "playing" ? now : { kind: "playing" }));
        player?.port.postMessage(event.data, [event.data]);
      };
      socket.onclose = (event) => {
        if (isOver) return;
        if (event.code === REFUSED) {
          setStanding({ kind: "refused", text: event.reason });
          return;
        }
        setStanding({ kind: "lost" });
        again = window.setTimeout(open, RETRY_MS);
      };
    }

    void makeContext().then((made) => {
      if (isOver) {
        void made.close();
        return;
      }
      context.current = made;
      player = makePlayer(made, () => undefined);
      player.connect(made.destination);
      made.onstatechange = () => {
        if (!isOver) look(made);
      };
      look(made);
      void made.resume();
      open();
    });
    const measure = window.setInterval(() => {
      const fresh = 20 * Math.log10(Math.max(peak, 1e-6));
      peak = 0;
      setDbfs((before) => Math.max(fresh, before - FALLS_DB));
    }, LEVEL_EVERY_MS);
    return () => {
      isOver = true;
      window.clearTimeout(again);
      window.clearTimeout(asking);
      window.clearInterval(measure);
      socket?.close();
      void context.current?.close();
      context.current = null;
    };
  }, [wanted]);

  return (
    <Frame>
      <h1 className="text-[19px] font-semibold capitalize">{wanted.label}</h1>
      <p role="status" className={standing.kind === "refused" ? "text-over-strong" : "text-quiet"}>
        {words(standing, isBlocked)}
      </p>
      {standing.kind !== "refused" && (
        <LevelBar
          dbfs={dbfs}
          colour="var(--voice)"
          label={t("listen.level")}
          className="h-4 w-full"
        />
      )}
      {isBlocked && standing.kind !== "refused" && (
        <Button look="main" onClick={() => void context.current?.resume()}>
          {t("listen.play")}
        </Button>
      )}
    </Frame>
  );
}

function words(standing: Standing, isBlocked?: boolean): string {
  if (standing.kind === "refused") return `▲ ${standing.text}`;
  if (isBlocked) return t("listen.thisBrowserStartsSoundOnly");
  if (standing.kind === "lost") return t("listen.goshawkDoesNotAnswerPlayback");
  return standing.kind === "playing" && isBlocked === false
    ? "playing"
    : t("listen.waitingForSound");
}

function Frame({ children }: { children: React.ReactNode }) {
  return (
    <main className="grid min-h-screen place-items-center bg-ground p-6 text-text">
      <div className="flex w-full max-w-[420px] flex-col items-start gap-3 rounded-lg bg-panel p-5">
        {children}
      </div>
    </main>
  );
}
