// The queue of Review: narrowing it, choosing papers, giving them to people, what comes first, and until when.

import { ask, tell } from "../frame/dialogs.js";
import { setKeys } from "../frame/keys.js";
import { walkRows } from "../frame/lists.js";
import { keepQueue } from "./next.js";
import { call } from "../frame/server.js";

const root = document.getElementById("queue");
const api = `/api/v1/types/${root.dataset.type}`;
const filters = /** @type {HTMLFormElement} */ (root.querySelector("[data-filters]"));
const boxes = /** @type {HTMLInputElement[]} */ ([...root.querySelectorAll("[data-choose]")]);
const bar = document.getElementById("chosen");

// What asks for nothing stays out of the address.
filters.addEventListener("formdata", (event) => {
  for (const [name, value] of [...event.formData.entries()]) {
    if (value === "" || (name === "sort" && value === "due")) event.formData.delete(name);
  }
});
filters.addEventListener("change", (event) => {
  if (/** @type {HTMLElement} */ (event.target).matches("select, [type=checkbox]")) filters.requestSubmit();
});

const chosen = () => boxes.filter((box) => box.checked).map((box) => Number(box.dataset.choose));

function showChosen() {
  if (!bar) return;
  const count = chosen().length;
  bar.hidden = !count;
  bar.querySelector("[data-count]").textContent = count === 1 ? "1 paper chosen" : `${count} papers chosen`;
}

/** Change the chosen papers, and show the queue as it is then. */
async function change(path, body) {
  await call("POST", `${api}/queue/${path}`, { documents: chosen(), ...body }).then(
    () => location.reload(),
    (error) => tell("The papers were not changed", error.message),
  );
}

for (const box of boxes) box.addEventListener("change", showChosen);
for (const button of /** @type {NodeListOf<HTMLElement>} */ (root.querySelectorAll("[data-first]"))) {
  button.addEventListener("click", () => change("first", { first: button.dataset.first === "1" }));
}
const give = /** @type {HTMLSelectElement | null} */ (root.querySelector("[data-give]"));
give?.addEventListener("change", () => {
  if (give.value !== "") change("give", { person: give.value === "0" ? null : Number(give.value) });
});

const hours = /** @type {HTMLElement | null} */ (root.querySelector("[data-hours]"));
hours?.addEventListener("click", async () => {
  const said = await ask({
    title: "Within how many hours after they came in are papers to be settled?",
    text: "Papers that wait longer are late. Leave it empty to set no time.",
    verb: "Save",
    input: hours.dataset.hours,
  });
  if (said === null) return;
  const within = said.trim() === "" ? null : Number(said.replace(",", "."));
  if (Number.isNaN(within)) {
    tell("The time was not changed", `“${said}” is not a number of hours. Write one such as 24 or 1.5.`);
    return;
  }
  await call("PUT", `${api}/review-hours`, { hours: within }).then(
    () => location.reload(),
    (error) => tell("The time was not changed", error.message),
  );
});

const reasons = /** @type {HTMLFormElement | null} */ (root.querySelector("[data-reasons]"));
reasons?.addEventListener("submit", async (event) => {
  event.preventDefault();
  const box = /** @type {HTMLTextAreaElement} */ (reasons.elements.namedItem("reasons"));
  const said = reasons.querySelector("[data-said]");
  try {
    const path = `/api/v1/types/${root.dataset.type}/aside-reasons`;
    const kept = await call("PUT", path, { reasons: box.value.split("\n") });
    box.value = kept.join("\n");
    said.textContent = "Saved";
  } catch (error) {
    said.textContent = error.message; // what was typed stays
  }
});

// Whoever goes on from the desk gets the next of the queue as it is narrowed here.
const next = /** @type {HTMLAnchorElement | null} */ (root.querySelector("[data-next]"));
if (next) keepQueue(root.dataset.type, next.getAttribute("href"));

const here = walkRows("[data-list]");
setKeys({
  x: () => {
    const box = /** @type {HTMLInputElement | null} */ (here()?.querySelector("[data-choose]"));
    if (!box) return false;
    box.checked = !box.checked;
    showChosen();
    return true;
  },
  "/": () => /** @type {HTMLInputElement} */ (filters.elements.namedItem("text")).focus(),
});
showChosen();
