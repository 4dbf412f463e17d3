/** What a hand has to hit: targets that are too small, and those that cannot be brought into view or lie under something. */
() => {
  const IS_TARGET =
    "button,a[href],input,select,textarea,[role=slider],[role=switch],[role=radio],[role=tab],[role=combobox]";
  const seen = (element) => {
    const box = element.getBoundingClientRect();
    const style = getComputedStyle(element);
    const isHidden = style.visibility === "hidden" || element.closest("[aria-hidden=true]");
    return box.width > 1 && box.height > 1 && !isHidden;
  };
  const all = [...document.querySelectorAll(IS_TARGET)].filter(seen);
  const boxes = all.map((element) => element.getBoundingClientRect());
  const named = (element) =>
    `${element.getAttribute("role") ?? element.tagName} "${(element.getAttribute("aria-label") ?? element.textContent ?? "").trim().slice(0, 40)}"`;
  const small = all.filter((element, n) => {
    const { x, y, width, height } = boxes[n];
    // Text fields are not pressed, but typed into; their sliders do the same.
    if (element.matches("input") || Math.min(width, height) >= 23.9) return false;
    const [middleX, middleY] = [x + width / 2, y + height / 2];
    // WCAG 2.5.8: a smaller one is no fault where a circle of 24 px around it touches no other target.
    return boxes.some((box, other) => {
      if (other === n || all[other].contains(element) || element.contains(all[other])) return false;
      const away = Math.hypot(
        Math.max(box.x - middleX, 0, middleX - box.right),
        Math.max(box.y - middleY, 0, middleY - box.bottom),
      );
      return away < 12;
    });
  });
  const lost = all.filter((element) => {
    element.scrollIntoView({ block: "nearest", inline: "nearest" });
    const box = element.getBoundingClientRect();
    const [middleX, middleY] = [box.x + box.width / 2, box.y + box.height / 2];
    const points = [
      [middleX, middleY],
      [middleX, box.y + 4],
      [middleX, box.bottom - 4],
    ];
    return !points.some(([x, y]) => {
      const top = document.elementFromPoint(x, y);
      return top !== null && (element.contains(top) || top.contains(element) || top.closest("label")?.control === element);
    });
  });
  return { small: small.map(named), lost: lost.map(named), count: all.length };
}
