// The beam in the browser: the same glyph, and the same tilt, as the server's (core/thresholds/beam.py).

const NS = "http://www.w3.org/2000/svg";
const TILT_MAX = 24;
const DEGREES_A_LOGIT = 7;

export function logOdds(probability) {
  const bounded = Math.min(0.999, Math.max(0.001, probability));
  return Math.log(bounded / (1 - bounded));
}

export function tilt(confidence, threshold) {
  return Math.max(-TILT_MAX, Math.min(TILT_MAX, DEGREES_A_LOGIT * (logOdds(confidence) - logOdds(threshold))));
}

export function svg(name, attributes = {}, ...children) {
  const element = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  element.append(...children);
  return element;
}

export function beam(confidence, threshold) {
  const pivot = svg("polygon", { class: "pivot", points: "14,8 10.5,14 17.5,14" });
  if (confidence === null || confidence === undefined || threshold === null || threshold === undefined) {
    return svg(
      "svg",
      { class: "beam none", viewBox: "0 0 28 14", role: "img", "aria-label": "no value" },
      svg("path", { class: "arm", d: "M2 6.5H10M18 6.5H26" }),
      pivot,
    );
  }
  const words = `${(confidence * 100).toFixed(1)} % against ${(threshold * 100).toFixed(1)} %`;
  return svg(
    "svg",
    {
      class: `beam ${confidence >= threshold ? "passes" : "held"}`,
      viewBox: "0 0 28 14",
      role: "img",
      "aria-label": words,
    },
    svg("line", {
      class: "arm",
      x1: 2,
      y1: 6.5,
      x2: 26,
      y2: 6.5,
      transform: `rotate(${tilt(confidence, threshold).toFixed(2)} 14 6.5)`,
    }),
    pivot,
  );
}
