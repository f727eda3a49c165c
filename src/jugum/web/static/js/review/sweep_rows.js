// The rows of a sweep: the place on the paper, the value, and what became of it.

import { beam } from "../frame/beam.js";
import { element } from "../desk/notes.js";
import { pictured } from "./sight.js";
import { stripOf } from "./sweep_model.js";

const GONE = "with somebody else, or settled";

/** The row of a paper of a sweep. @param {any} sweep @param {number} paper */
export function rowOf(sweep, paper) {
  const row = sweep.rows.get(paper);
  const state = sweep.model.states.get(paper);
  const made = element("div", `swept ${state}`);
  made.dataset.paper = String(paper);
  made.setAttribute("role", "listitem");
  made.addEventListener("click", () => sweep.goTo(paper));
  if (!row) {
    made.append(element("span", "quiet", state === "gone" ? GONE : "…"));
    return made;
  }
  const place = sweep.placeOf(paper);
  if (place) {
    const strip = element("span", "strip");
    const alt = `${sweep.root.dataset.name} on ${row.name}`;
    strip.append(pictured(sweep.picture(paper, place), alt, stripOf(place.box), place.box, () => sweep.closer(paper)));
    made.append(strip);
  } else made.append(element("span", "no-place", row.unseen ? "" : "no place on the page"));
  made.append(...valueOf(sweep, paper));
  return made;
}

function valueOf(sweep, paper) {
  const { field, unseen } = sweep.rows.get(paper);
  const given = sweep.given.get(paper);
  const values = given ? given.values : field.values;
  const value = element("span", "value", values.map(({ text }) => text).join("; "));
  value.title = value.textContent;
  const nothing = given || !unseen ? "not there" : "say what stands there";
  if (!values.length) value.replaceChildren(element("span", "quiet", nothing));
  const said = element("span", "said-of", sweep.said.get(paper) || stateOf(sweep, paper));
  return [beam(field.confidence, field.threshold), value, said];
}

function stateOf(sweep, paper) {
  const state = sweep.model.states.get(paper);
  const { field } = sweep.rows.get(paper);
  if (state === "left") return "left";
  if (state === "gone") return GONE;
  if (state !== "sent") return field.hold === sweep.usual ? "" : field.hold;
  const given = sweep.given.get(paper);
  if (given?.absent) return "not there";
  return given?.values.length && given.values[0].text === field.values[0]?.text ? "accepted" : "mended";
}

/** The line that names a group, or an empty one. @param {any} line */
export function headOf({ head, group, count, goesOn, blank = false }) {
  const made = element("div", "swept-head");
  if (blank) return made;
  const what =
    { "same layout": group.said ? "layout" : "of no known layout", "same value": "the same value" }[head] || head;
  made.append(element("b", "", what));
  if (group.said) made.append(element("span", head === "same value" ? "mono" : "", group.said));
  made.append(element("span", "quiet", `${count} ${count === 1 ? "paper" : "papers"}${goesOn ? ", continued" : ""}`));
  return made;
}
