/**
 * When pictures are drawn: in the next frame of the display, if there is something new to show and never else. What is
 * live is drawn with the figures, five times a second. What moves is drawn between them too, unless the user wants less motion.
 */

/** Longer than from figures to figures: so long news waits for them. */
const CALM_MS = 250;

/** The shortest time between two drawings of what moves: of ticks, which the eye follows, and of a whole picture. */
export const TICKS_MS = 45;
export const PICTURE_MS = 95;

export type Draw = () => void;

/** The window, of which a test has one of its own. */
type Host = {
  inNextFrame: (draw: Draw) => void;
  in: (ms: number, then: () => void) => void;
  now: () => number;
  wantsCalm: () => boolean;
};

export class Drawing {
  private readonly due = new Set<Draw>();
  private readonly live = new Set<Draw>();
  private readonly moving = new Map<Draw, { everyMs: number; at: number }>();
  private isAsked = false;
  private isNewsWaiting = false;
  private newsAt = -Infinity;

  constructor(private readonly host: Host) {}

  /** Draw a picture in the next frame: what the hand changes is shown at once. */
  soon(draw: Draw) {
    this.due.add(draw);
    if (this.isAsked) return;
    this.isAsked = true;
    this.host.inNextFrame(() => {
      this.isAsked = false;
      const now = [...this.due];
      this.due.clear();
      for (const one of now) one();
    });
  }

  /** Draw it whenever there are figures, until it is forgotten. */
  withFigures(draw: Draw) {
    this.live.add(draw);
  }

  /** Draw it when there is news of any kind, at most once in `everyMs` ms. */
  withNews(draw: Draw, everyMs: number) {
    this.moving.set(draw, { everyMs, at: -Infinity });
  }

  forget(draw: Draw) {
    this.live.delete(draw);
    this.moving.delete(draw);
    this.due.delete(draw);
  }

  /** Call this when news has come. If no figures have come for a while, as on a page that has just opened, live pictures are drawn too. */
  news = (areFigures = false) => {
    const now = this.host.now();
    const rest = this.newsAt + CALM_MS - now;
    if (areFigures || rest <= 0) {
      this.isNewsWaiting = false;
      this.newsAt = now;
      for (const draw of this.live) this.soon(draw);
      this.move(now, this.host.wantsCalm());
      return;
    }
    if (!this.host.wantsCalm()) this.move(now);
    if (!this.isNewsWaiting) {
      this.isNewsWaiting = true;
      this.host.in(rest, () => this.isNewsWaiting && this.news());
    }
  };

  private move(now: number, all = false) {
    for (const [draw, moved] of this.moving) {
      if (!all && now - moved.at < moved.everyMs) continue;
      moved.at = now;
      this.soon(draw);
    }
  }
}
