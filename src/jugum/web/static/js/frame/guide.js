// The guide: its sections are narrowed to those that have the words looked for.

import { setKeys } from "./keys.js";

const input = /** @type {HTMLInputElement} */ (document.getElementById("guide-words"));
const sections = /** @type {HTMLElement[]} */ ([...document.querySelectorAll(".guide section")]);
const links = /** @type {HTMLElement[]} */ ([...document.querySelectorAll(".guide nav a")]);

function look() {
  const words = input.value.toLowerCase().split(/\s+/).filter(Boolean);
  let hits = 0;
  sections.forEach((section, place) => {
    const has = words.every((word) => section.textContent.toLowerCase().includes(word));
    section.hidden = !has;
    links[place].classList.toggle("without", !has);
    hits += Number(has);
  });
  document.querySelector("[data-hits]").textContent = words.length
    ? `${hits} ${hits === 1 ? "section has" : "sections have"} it`
    : "";
}

input.addEventListener("input", look);
// A link to a section that is narrowed away shows all of them again.
window.addEventListener("hashchange", () => {
  if (!document.querySelector(location.hash)?.hasAttribute("hidden")) return;
  input.value = "";
  look();
  document.querySelector(location.hash).scrollIntoView();
});
setKeys({ "/": () => input.focus() });
