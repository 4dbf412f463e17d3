/**
 * When pictures are drawn: in the next frame of the display, if there is something new to show and never else. What is
 * live is drawn when news comes; for those who want less motion, with the figures, which come ten times a second.
 */

/** Longer than from figures to figures: so long news waits for them. */
const CALM_MS = 150;

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

  /** Draw it whenever there is news, until it is forgotten. */
  withNews(draw: Draw) {
    this.live.add(draw);
  }

  forget(draw: Draw) {
    this.live.delete(draw);
    this.due.delete(draw);
  }

  /** Something has come that live pictures show; figures make the page draw in any case. */
  news = (areFigures = false) => {
    const rest = this.newsAt + CALM_MS - this.host.now();
    if (areFigures || rest <= 0 || !this.host.wantsCalm()) {
      this.isNewsWaiting = false;
      this.newsAt = this.host.now();
      for (const draw of this.live) this.soon(draw);
    } else if (!this.isNewsWaiting) {
      this.isNewsWaiting = true;
      this.host.in(rest, () => this.isNewsWaiting && this.news());
    }
  };
}
