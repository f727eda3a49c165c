// The keys of the desk: those of every desk, those that change something, those of labelling.

import { setKeys } from "../frame/keys.js";

const ARROWS = ["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown"];

/** @param {import("./main.js").Desk} desk */
export function setDeskKeys(desk) {
  const { view, marking, pages, helps, paper } = desk;
  setKeys({
    j: () => desk.walk(1),
    k: () => desk.walk(-1),
    "[": () => desk.go(paper.data.previous),
    "]": () => desk.go(paper.data.next),
    "+": () => view.scale(1.2),
    "=": () => view.scale(1.2),
    "-": () => view.scale(1 / 1.2),
    0: () => view.scale(0),
    " ": () => desk.lookCloser(),
    Escape: () => desk.leave(),
    any: (event) => desk.mode !== "look" && anyKey(desk, event),
  });
  if (desk.mode === "look") return;
  const move = (event, name) => {
    const extend = name.startsWith("Shift+");
    if (!helps?.move(event.key, extend)) pages.move(event.key, extend);
  };
  setKeys({
    ...Object.fromEntries(ARROWS.flatMap((key) => [key, `Shift+${key}`]).map((name) => [name, move])),
    n: () => marking.refuse() || desk.next(),
    e: () => marking.edit(),
    ".": () => marking.absent(),
    Backspace: () => marking.clear(),
    x: () => desk.aside(),
    "Ctrl+z": () => marking.undo(),
    "Ctrl+Z": () => marking.redo(),
    "Ctrl+y": () => marking.redo(),
    "/": () => desk.find(),
    ",": () => {
      if (!pages.takeCursor(true)) view.tell("Move to the words with the arrow keys first.");
    },
    Enter: () => {
      if (!helps?.takeWalked() && !pages.takeCursor()) marking.agree();
    },
  });
  if (desk.mode === "review") setKeys({ w: () => desk.seeWhole() });
  if (desk.mode !== "label") return;
  setKeys({
    "Ctrl+Enter": () => desk.done(),
    "Shift+Enter": () => marking.agreeAll(true),
  });
}

/** A digit takes a candidate, y answers a tick box, a letter picks a field. */
function anyKey(desk, event) {
  if (event.ctrlKey || event.metaKey) return false;
  if (/^[1-9]$/.test(event.key)) {
    desk.marking.candidate(Number(event.key) - 1);
    return true;
  }
  if (event.key === "y" && desk.marking.answer("yes")) return true;
  const field = desk.mode === "label" && desk.paper.fields.find((one) => one.letter === event.key);
  if (field) desk.pick(field.key);
  return Boolean(field);
}
