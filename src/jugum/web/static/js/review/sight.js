// A place of a paper with what stands around it, as a picture.

import { surroundings } from "../desk/closer.js";
import { element } from "../desk/notes.js";

/** A part of a page (`within`) with a place in it marked. */
export function pictured(source, alt, within, place, enlarge) {
  const made = element("span", "pictured");
  const image = document.createElement("img");
  image.src = source;
  image.alt = alt;
  image.addEventListener("error", () => made.replaceWith(element("span", "no-place", "no picture")));
  made.append(image);
  made.addEventListener("click", enlarge);
  if (place) {
    const mark = element("span", "here");
    const [width, height] = [within[2] - within[0], within[3] - within[1]];
    mark.style.left = `${(100 * (place[0] - within[0])) / width}%`;
    mark.style.width = `${(100 * (place[2] - place[0])) / width}%`;
    mark.style.top = `${(100 * (place[1] - within[1])) / height}%`;
    mark.style.height = `${(100 * (place[3] - place[1])) / height}%`;
    made.append(mark);
  }
  return made;
}

/** A wide strip around a place. */
export function aroundOf(box) {
  const [x0, y0, x1, y1] = surroundings(box);
  const missing = Math.max(0, 0.055 - (y1 - y0)) / 2;
  const sides = [Math.max(0, x0 - 0.06), y0 - missing, Math.min(1, x1 + 0.06), y1 + missing];
  return sides.map((side) => Math.min(1, Math.max(0, Math.round(side * 1e4) / 1e4)));
}
