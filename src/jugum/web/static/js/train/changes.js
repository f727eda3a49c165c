// What a version would change: paper by paper, with a figure of how far it is; leaving the page ends it.

import { call } from "../frame/server.js";

const page = document.querySelector("[data-changes]");
const version = page.dataset.changes;
const papers = page.dataset.papers ? page.dataset.papers.split(",").map(Number) : [];
const body = page.querySelector("[data-rows]");
const changed = [];
let values = 0;
let differing = 0;

function cell(row, text, kind = "") {
  const made = row.insertCell();
  made.textContent = text;
  if (kind) made.className = kind;
  return made;
}

function show(found) {
  values += found.values;
  differing += found.changed.length;
  if (found.changed.length && !found.begun) changed.push(found.document);
  found.changed.forEach((one, place) => {
    const row = body.insertRow();
    const first = row.insertCell();
    if (!place) {
      const link = document.createElement("a");
      link.href = `/review/${found.document}`;
      link.textContent = found.name;
      first.append(link);
      if (found.begun)
        first.append(
          Object.assign(document.createElement("div"), {
            className: "quiet small",
            textContent: "begun or done: stays",
          }),
        );
    }
    cell(row, one.name);
    cell(row, one.before || "nothing", "value");
    cell(row, one.after || "nothing", "value");
    cell(row, one.confidence === null ? "–" : `${Math.floor(one.confidence * 100)} %`, "num");
  });
}

function refused(error) {
  cell(body.insertRow(), error.message, "blocks").colSpan = 5; // the message names the paper
}

async function run() {
  const bar = page.querySelector("progress");
  for (const [place, one] of papers.entries()) {
    await call("GET", `/api/v1/versions/${version}/changes/${one}`).then(show, refused);
    bar.value = place + 1;
    page.querySelector("[data-share]").textContent = `${place + 1} of ${papers.length}`;
  }
  page.querySelector("[data-going]").remove();
  page.querySelector("[data-said]").textContent =
    `${page.querySelector("thead th:nth-child(4)").textContent} reads ${differing} of ${values} values differently`;
  const again = page.querySelector("[data-again]");
  if (again && changed.length) again.disabled = false;
  again?.addEventListener("click", async () => {
    again.disabled = true;
    const told = page.querySelector("[data-told]");
    try {
      const answer = await call("POST", `/api/v1/versions/${version}/read-again`, { documents: changed });
      told.textContent = `${answer.drafting} ${answer.drafting === 1 ? "paper is" : "papers are"} being read again.`;
    } catch (error) {
      told.textContent = error.message;
      again.disabled = false;
    }
  });
}
if (papers.length) run();
