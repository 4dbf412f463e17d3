/**
 * What is wrong with the text that is shown: words outside the catalog (in the pseudo-language), text that is cut, text that lies over
 * other text. Names that users and devices have are given: they are the same in every language.
 */
(names) => {
  const UNITS = /\b(dB|dBFS|dBTP|LUFS|LU|Hz|kHz|ms|ppm|GB|MB|kB|fps|oct|goshawk|Goshawk|FLAC|WAV|samples|SII|ANSI)\b|https?:\S+/g;
  const seen = (element) => {
    const box = element.getBoundingClientRect();
    const style = getComputedStyle(element);
    return box.width > 2 && box.height > 2 && style.visibility !== "hidden" && style.opacity !== "0";
  };
  /** The part of a box that no element around it cuts off. */
  const shownOf = ({ x, y, right, bottom }, element) => {
    const box = { x, y, right, bottom };
    for (let around = element; around && around !== document.body; around = around.parentElement) {
      if (getComputedStyle(around).overflowX === "visible") continue;
      const frame = around.getBoundingClientRect();
      box.x = Math.max(box.x, frame.x);
      box.y = Math.max(box.y, frame.y);
      box.right = Math.min(box.right, frame.right);
      box.bottom = Math.min(box.bottom, frame.bottom);
    }
    return box;
  };
  const ordered = [...names].sort((a, b) => b.length - a.length);
  const plain = (text) => {
    let rest = text;
    for (const name of ordered) rest = rest.replaceAll(name, " ");
    return /[A-Za-z]{3}/.test(rest.replace(UNITS, " "));
  };
  const short = (text) => text.trim().replace(/\s+/g, " ").slice(0, 90);
  const outside = new Set();
  const cut = new Set();
  const pieces = [];
  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  for (let node = walker.nextNode(); node; node = walker.nextNode()) {
    const element = node.parentElement;
    if (!node.data.trim() || element.closest("script,style,[data-radix-scroll-area-viewport] noscript")) continue;
    if (plain(node.data)) outside.add(short(node.data));
    // What is for screen readers alone, or for eyes alone beside a longer form, takes no room of its own.
    if (element.closest(".sr-only") || !seen(element)) continue;
    const range = document.createRange();
    range.selectNodeContents(node);
    for (const whole of range.getClientRects()) {
      const box = shownOf(whole, element);
      if (box.right - box.x > 1 && box.bottom - box.y > 1) {
        pieces.push({ node, element, box, text: short(node.data) });
      }
    }
    for (let around = element; around && around !== document.body; around = around.parentElement) {
      const style = getComputedStyle(around);
      const clips = style.overflowX === "hidden" || style.overflowX === "clip";
      // What is shortened with dots says the whole in its title.
      const isSaid = style.textOverflow === "ellipsis" && around.closest("[title]");
      if (clips && around.scrollWidth > around.clientWidth + 1 && !isSaid) cut.add(short(node.data));
      if (/auto|scroll|hidden|clip/.test(style.overflowX)) break;
    }
  }
  for (const element of document.querySelectorAll("[aria-label],[title],[placeholder],[aria-valuetext]")) {
    for (const name of ["aria-label", "title", "placeholder", "aria-valuetext"]) {
      const text = element.getAttribute(name);
      if (text && plain(text)) outside.add(`${name}: ${short(text)}`);
    }
  }
  const over = new Set();
  const inView = pieces.filter(({ element, box }) => {
    const [x, y] = [(box.x + box.right) / 2, (box.y + box.bottom) / 2];
    const top = document.elementFromPoint(x, y);
    return top && (top.contains(element) || element.contains(top) || top.tagName === "CANVAS");
  });
  for (let i = 0; i < inView.length; i++) {
    for (let j = i + 1; j < inView.length; j++) {
      const [a, b] = [inView[i], inView[j]];
      if (a.node === b.node) continue;
      const wide = Math.min(a.box.right, b.box.right) - Math.max(a.box.x, b.box.x);
      const high = Math.min(a.box.bottom, b.box.bottom) - Math.max(a.box.y, b.box.y);
      // Lines set close share a few pixels of empty room above and below their letters.
      if (wide > 2 && high > Math.min(a.box.bottom - a.box.y, b.box.bottom - b.box.y) * 0.4) over.add(`${a.text} | ${b.text}`);
    }
  }
  return { outside: [...outside], cut: [...cut], over: [...over] };
};
