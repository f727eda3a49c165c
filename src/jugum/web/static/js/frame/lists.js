// Lists of papers: j and k walk the rows, Enter opens one, n the next to do.

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
    Enter: () => {
      const href = rows()[at]?.dataset.href;
      if (href) location.href = href;
      else return false;
    },
  });
  return () => rows()[at];
}

if (document.querySelector("[data-list]")) walkRows("[data-list]");
const next = document.querySelector("[data-next]");
if (next)
  setKeys({
    n: () => {
      location.href = next.href;
    },
  });
