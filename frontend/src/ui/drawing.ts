/**
 * When pictures are drawn: in the next frame of the display, if there is something new to show and never else. What is
 * live is drawn when news comes, which for those who want less motion counts ten times a second at most.
 */

const CALM_MS = 100;

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

  /** Something has come that live pictures show. */
  news = () => {
    if (this.isNewsWaiting) return;
    const rest = this.host.wantsCalm() ? this.newsAt + CALM_MS - this.host.now() : 0;
    if (rest <= 0) return this.show();
    this.isNewsWaiting = true;
    this.host.in(rest, () => {
      this.isNewsWaiting = false;
      this.show();
    });
  };

  private show() {
    this.newsAt = this.host.now();
    for (const draw of this.live) this.soon(draw);
  }
}
