// Lists of papers: j and k walk the rows, Enter opens one, n the next to do. And the form for keyed values.

import { call } from "./server.js";
import { setKeys } from "./keys.js";

let at = -1;

export function walkRows(selector) {
  const rows = () => [...document.querySelectorAll(`${selector} tbody tr`)];
  const move = (by) => {
    const all = rows();
    if (!all.length) return;
    all[at]?.classList.remove("at");
    at = Math.max(0, Math.min(all.length - 1, at + by));
    all[at].classList.add("at");
    all[at].scrollIntoView({ block: "nearest" });
  };
  setKeys({
    j: () => move(1),
    k: () => move(-1),
    Enter: () => { const href = rows()[at]?.dataset.href; if (href) location.href = href; else return false; },
  });
  return () => rows()[at];
}

if (document.querySelector("[data-list]")) walkRows("[data-list]");
const next = document.querySelector("[data-next]");
if (next) setKeys({ n: () => { location.href = next.href; } });

document.getElementById("keyed")?.addEventListener("submit", async (event) => {
  event.preventDefault();
  const form = event.target;
  const said = form.querySelector("[role=status]");
  said.textContent = "Looking for the values on their pages…";
  try {
    const report = await call("POST", `/api/v1/types/${form.dataset.type}/labels.csv`, new FormData(form));
    said.textContent = `${report.placed} placed, ${report.ambiguous} placed where several places were alike, ${report.not_found} kept without a place.`
      + (report.unknown.length ? ` Passed over: ${report.unknown.slice(0, 5).join("; ")}${report.unknown.length > 5 ? ` and ${report.unknown.length - 5} more` : ""}.` : "");
  } catch (error) {
    said.textContent = error.message;
  }
});
