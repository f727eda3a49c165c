/**
 * What does not fit on the page as it stands: told in words, one line for each finding. Evaluated in the page.
 *
 * - nothing overflows its box, unless the box scrolls, or says the whole text when it is pointed at;
 * - no two texts or controls overlap;
 * - no control lies outside the window, or under something else once it has been scrolled to;
 * - no leader runs through a word of the paper.
 */
() => {
  const said = new Set();
  const root = document.querySelector("dialog:modal") || document.body; // what lies behind a dialog can't be reached
  const CONTROLS = "a[href], button, input:not([type=hidden]), select, textarea, summary";
  const name = (element) => {
    const words = (element.getAttribute?.("aria-label") || element.textContent || element.value || "").trim();
    const classes = element.getAttribute?.("class")?.split(/\s+/).slice(0, 2).join(".") ?? "";
    return `${element.tagName.toLowerCase()}${classes && "." + classes} “${words.replace(/\s+/g, " ").slice(0, 40)}”`;
  };
  const shown = (element) =>
    element.checkVisibility({ opacityProperty: true, visibilityProperty: true }) &&
    !element.closest(".visually-hidden, .visually-hidden-focusable:not(:focus), .skip-link");
  const scrolls = (element, axis) => /auto|scroll/.test(getComputedStyle(element)[`overflow${axis}`]);
  const clips = (element) => getComputedStyle(element).overflowX !== "visible";

  /** The part of a rectangle that the boxes around it let be seen, or null. */
  const seen = (rect, element) => {
    let { left, top, right, bottom } = rect;
    for (let box = element; box && box !== document.documentElement; box = box.parentElement) {
      if (box === document.body || !(box instanceof HTMLElement) || !clips(box)) continue;
      const edge = box.getBoundingClientRect();
      [left, top] = [Math.max(left, edge.left), Math.max(top, edge.top)];
      [right, bottom] = [Math.min(right, edge.right), Math.min(bottom, edge.bottom)];
    }
    return right - left > 1 && bottom - top > 1 ? { left, top, right, bottom } : null;
  };
  const layer = (element) => {
    for (let box = element; box; box = box.parentElement) {
      if (/fixed|sticky/.test(getComputedStyle(box).position)) return box;
    }
    return null;
  };

  /** A control in the corner of a picture that is a control, too. */
  const onPicture = (one, picture) => {
    const [inner, outer] = [one.getBoundingClientRect(), picture.getBoundingClientRect()];
    return (
      picture.querySelector("img") &&
      getComputedStyle(one).position === "absolute" &&
      inner.left >= outer.left - 1 &&
      inner.right <= outer.right + 1 &&
      inner.top >= outer.top - 1 &&
      inner.bottom <= outer.bottom + 1
    );
  };

  if (document.documentElement.scrollWidth > innerWidth) {
    said.add(`the page is ${document.documentElement.scrollWidth} wide in a window of ${innerWidth}`);
  }

  const all = [...root.querySelectorAll("*")].filter(shown);
  for (const element of all) {
    if (!(element instanceof HTMLElement) || !element.clientWidth) continue;
    const over = element.scrollWidth - element.clientWidth;
    if (over <= 1 || scrolls(element, "X") || element.matches("input, textarea, select")) continue;
    const cut = clips(element);
    if (cut && element.closest("[title]")) continue;
    const own = [...element.childNodes].some((one) => one.nodeType === Node.TEXT_NODE && one.data.trim());
    if (cut || own) said.add(`${cut ? "cut" : "overflows"} by ${over} of ${element.scrollWidth}: ${name(element)}`);
  }

  // Texts and controls that stand over each other.
  const pieces = [];
  const walker = document.createTreeWalker(root, NodeFilter.SHOW_TEXT);
  while (walker.nextNode()) {
    const node = walker.currentNode;
    const owner = node.parentElement;
    if (!node.data.trim() || !owner || !shown(owner) || owner.closest("option, script, style, template")) continue;
    if (owner.closest(CONTROLS)) continue;
    const range = document.createRange();
    range.selectNodeContents(node);
    for (const rect of range.getClientRects()) {
      const part = seen(rect, owner);
      if (part) pieces.push({ ...part, owner, text: true });
    }
  }
  for (const control of all.filter((one) => one.matches(CONTROLS))) {
    for (const rect of control.getClientRects()) {
      const part = seen(rect, control.parentElement);
      if (part) pieces.push({ ...part, owner: control, text: false });
    }
  }
  for (const piece of pieces) piece.layer = layer(piece.owner);
  pieces.sort((one, other) => one.top - other.top);
  pieces.forEach((one, at) => {
    for (const other of pieces.slice(at + 1)) {
      if (other.top >= one.bottom) break;
      if (one.owner.contains(other.owner) || other.owner.contains(one.owner) || one.layer !== other.layer) continue;
      if (onPicture(one.owner, other.owner) || onPicture(other.owner, one.owner)) continue;
      const wide = Math.min(one.right, other.right) - Math.max(one.left, other.left);
      const high = Math.min(one.bottom, other.bottom) - Math.max(one.top, other.top);
      const low = Math.min(one.bottom - one.top, other.bottom - other.top);
      if (wide > 2 && high > Math.max(3, 0.3 * low)) {
        said.add(`overlap by ${wide.toFixed()}×${high.toFixed()}: ${name(one.owner)} and ${name(other.owner)}`);
      }
    }
  });

  // Controls that can't be reached.
  for (const control of all.filter((one) => one.matches(CONTROLS) && !one.disabled)) {
    const inside = control.closest("[data-scrolls]");
    if (inside) continue;
    control.scrollIntoView({ block: "center", inline: "center", behavior: "instant" });
    const rect = control.getClientRects()[0];
    if (!rect || (!rect.width && !rect.height)) continue;
    if (
      rect.left < -1 ||
      rect.right > innerWidth + 1 ||
      rect.top < -1 ||
      (rect.bottom > innerHeight + 1 && rect.height < innerHeight)
    ) {
      said.add(
        `outside the window: ${name(control)} at ${rect.left.toFixed()}–${rect.right.toFixed()}, ${rect.top.toFixed()}–${rect.bottom.toFixed()}`,
      );
      continue;
    }
    const [x, y] = [(rect.left + rect.right) / 2, (rect.top + rect.bottom) / 2];
    const top = document.elementFromPoint(x, y);
    if (
      top &&
      top !== control &&
      !control.contains(top) &&
      !top.contains(control) &&
      !top.closest("label")?.contains(control) &&
      !(control.id && top.closest(`label[for="${control.id}"]`))
    ) {
      said.add(`covered: ${name(control)} by ${name(top)}`);
    }
  }
  scrollTo(0, 0);

  // Leaders through words.
  const words =
    root !== document.body ? [] : [...document.querySelectorAll("rect.word")].map((one) => one.getBoundingClientRect());
  for (const path of document.querySelectorAll(".leaders path")) {
    const length = path.getTotalLength();
    const matrix = path.getScreenCTM();
    const through = new Set();
    for (let at = 0; matrix && at < length - 4; at += 3) {
      const point = path.getPointAtLength(at).matrixTransform(matrix);
      words.forEach((word, which) => {
        const high = word.bottom - word.top;
        const inside = point.x > word.left + 2 && point.x < word.right - 2;
        if (inside && point.y > word.top + 0.25 * high && point.y < word.bottom - 0.25 * high) through.add(which);
      });
    }
    if (through.size) said.add(`a leader runs through ${through.size} words`);
  }
  return [...said];
};
