/**
 * When pictures are drawn: in the next frame of the display, if there is something new to show and never else. What is
 * live is drawn with the figures, ten times a second. What moves is drawn once more between them, unless the user wants less
 * motion.
 */

/** Longer than from figures to figures: so long news waits for them. */
const CALM_MS = 150;

/** The shortest time between two drawings of what moves. It shows peaks over 0.1 s, which change no faster. */
const MOVING_MS = 50;

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
  private readonly moving = new Set<Draw>();
  private isAsked = false;
  private isNewsWaiting = false;
  private newsAt = -Infinity;
  private movedAt = -Infinity;

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

  /** Draw it whenever there is news of any kind. */
  withNews(draw: Draw) {
    this.moving.add(draw);
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
      this.newsAt = this.movedAt = now;
      for (const draw of this.live) this.soon(draw);
      for (const draw of this.moving) this.soon(draw);
      return;
    }
    if (now - this.movedAt >= MOVING_MS && !this.host.wantsCalm()) {
      this.movedAt = now;
      for (const draw of this.moving) this.soon(draw);
    }
    if (!this.isNewsWaiting) {
      this.isNewsWaiting = true;
      this.host.in(rest, () => this.isNewsWaiting && this.news());
    }
  };
}
