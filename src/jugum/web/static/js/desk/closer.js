// A place of the paper seen large, over everything, until a key or click closes it.

import { element } from "./notes.js";

const DPI = 300;
const WIDTH_LEAST = 0.36; // of the page's width: a value alone says too little
const MARGIN = 0.015; // of the page, around the place

/** Which part of a page shows a place with its surroundings: left, top, right, bottom. */
export function surroundings([x0, y0, x1, y1]) {
  const missing = Math.max(0, WIDTH_LEAST - (x1 - x0)) / 2;
  const sides = [x0 - missing - MARGIN, y0 - 2 * MARGIN, x1 + missing + MARGIN, y1 + 2 * MARGIN];
  return sides.map((side) => Math.min(1, Math.max(0, Math.round(side * 1e4) / 1e4)));
}

/** Show a place of a paper's page large. */
export function lookCloser(document_, page, box, name) {
  const dialog = /** @type {HTMLDialogElement} */ (element("dialog", "closer"));
  dialog.setAttribute("aria-label", `${name} on page ${page}`);
  const image = document.createElement("img");
  image.alt = `${name} as it stands on page ${page}`;
  image.src = `/documents/${document_}/pages/${page}/region.jpg?box=${surroundings(box).join(",")}&dpi=${DPI}`;
  dialog.append(image);
  dialog.addEventListener("click", () => dialog.close());
  dialog.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key !== " " && event.key !== "Enter") return; // Escape closes by itself
    event.preventDefault();
    dialog.close();
  });
  dialog.addEventListener("close", () => dialog.remove());
  document.body.append(dialog);
  dialog.showModal();
}
