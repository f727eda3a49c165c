// The pages around the labelling desk: layouts and sets, past records, double labelling, suspicious labels. One key
// decides each row.

import { call, follow } from "../frame/server.js";
import { ask, tell } from "../frame/dialogs.js";
import { setKeys } from "../frame/keys.js";

const say = (form, text) => {
  form.querySelector("[role=status]").textContent = text;
};
const again = () => location.reload();
function skipped(lines) {
  const rest = lines.length > 5 ? ` and ${lines.length - 5} more` : "";
  return lines.length ? ` Skipped: ${lines.slice(0, 5).join("; ")}${rest}.` : "";
}
const told = (error) => tell("That did not work", error.message);

// ---- Settings and files ----

document.querySelector("[data-labelling]")?.addEventListener("change", async (event) => {
  const form = event.currentTarget;
  const body = event.target.name === "plant" ? { plant: Number(event.target.value) } : { order: event.target.value };
  await call("PUT", `/api/v1/types/${form.dataset.labelling}/labelling`, body).then(
    () => say(form, "Saved."),
    (error) => say(form, error.message),
  );
});

document.getElementById("past-records")?.addEventListener("submit", async (event) => {
  event.preventDefault();
  const form = event.currentTarget;
  say(form, "Looking for the values on their papers…");
  const far = (done, of) => say(form, `Looking for the values on ${of / 2} papers: ${Math.round((100 * done) / of)} %`);
  try {
    const path = `/api/v1/types/${form.dataset.type}/labels.csv`;
    const report = await follow("POST", path, new FormData(form), far);
    const counts = [
      `${report.placed} found`,
      `${report.ambiguous} found in several places`,
      `${report.not_found} not found and saved without a place`,
    ];
    say(form, `${counts.join(", ")}.${skipped(report.unknown)}`);
    if (!report.unknown.length) setTimeout(again, 1200);
  } catch (error) {
    say(form, error.message);
  }
});

document.querySelector("[data-file-in]")?.addEventListener("submit", async (event) => {
  event.preventDefault();
  const form = event.currentTarget;
  try {
    const taken = await call("POST", form.dataset.fileIn, new FormData(form));
    say(form, `${taken.values} values on ${taken.papers} papers were imported.${skipped(taken.unknown)}`);
  } catch (error) {
    say(form, error.message);
  }
});

// ---- Layouts and sets ----

const chosen = (name) => [...document.querySelectorAll(`[data-choose-${name}]:checked`)];

document.addEventListener("change", (event) => {
  if (!event.target.matches("[data-choose-layout], [data-choose-paper]")) return;
  const [merge, split, put] = ["[data-merge]", "[data-split]", "[data-put] button"].map((one) =>
    document.querySelector(one),
  );
  merge.disabled = chosen("layout").length < 2;
  split.disabled = put.disabled = !chosen("paper").length;
});

document.querySelector("[data-merge]")?.addEventListener("click", () => {
  const layouts = chosen("layout").map((one) => Number(one.closest("[data-layout]").dataset.layout));
  call("POST", "/api/v1/layouts/merge", { layouts }).then(again, told);
});

document.querySelector("[data-split]")?.addEventListener("click", async () => {
  const name = await ask({
    title: "What is this layout called?",
    verb: "Make the layout",
    input: "",
    placeholder: "such as: Ostmark, 2025 form",
  });
  if (name !== null)
    call("POST", "/api/v1/layouts/split", { papers: chosen("paper").map((one) => Number(one.value)), name }).then(
      again,
      told,
    );
});

document.querySelectorAll("[data-rename]").forEach((button) =>
  button.addEventListener("click", async () => {
    const name = await ask({
      title: `Rename “${button.dataset.rename}”`,
      verb: "Rename",
      input: button.dataset.rename,
    });
    const layout = button.closest("[data-layout]").dataset.layout;
    if (name) call("PUT", `/api/v1/layouts/${layout}`, { name }).then(again, told);
  }),
);

document.querySelector("[data-deal]")?.addEventListener("submit", async (event) => {
  event.preventDefault();
  const form = event.currentTarget;
  const number = (name) => Number(form.elements[name].value);
  const body = {
    test: number("test") / 100,
    spare: number("spare") / 100,
    apart: Boolean(form.elements.apart.value),
    seed: number("seed"),
  };
  call("POST", `/api/v1/types/${form.dataset.deal}/sets`, body).then(again, (error) => say(form, error.message));
});

document.querySelector("[data-put]")?.addEventListener("submit", (event) => {
  event.preventDefault();
  call("PUT", "/api/v1/sets", {
    papers: chosen("paper").map((one) => Number(one.value)),
    set: event.currentTarget.elements.set.value,
  }).then(again, told);
});

document.querySelector("[data-give]")?.addEventListener("submit", async (event) => {
  event.preventDefault();
  const form = event.currentTarget;
  const body = {
    papers: Number(form.elements.papers.value),
    people: [Number(form.elements.first.value), Number(form.elements.second.value)],
  };
  const path = `/api/v1/types/${form.dataset.give}/double-labelling`;
  call("POST", path, body).then(again, (error) => say(form, error.message));
});

// ---- Decisions, one key each: places of past records, answers of two people, suspicious labels ----

const ACTS = {
  record: (row, key) =>
    call("PUT", `/api/v1/past-records/${row.dataset.id}`, {
      place: key ? key - 1 : null,
      revision: Number(row.dataset.revision),
    }),
  dispute: (row, key, button) =>
    call("POST", `/api/v1/documents/${row.dataset.document}/labels/${row.dataset.field}/dispute`, {
      person_id: Number(button.dataset.person),
      revision: Number(row.dataset.revision),
    }),
  suspect: (row, key) => {
    const path = `/api/v1/documents/${row.dataset.document}/labels/${row.dataset.field}`;
    const revision = Number(row.dataset.revision);
    if (key === 1) return call("POST", `${path}/keep`, { reason: row.dataset.reason, revision });
    if (key === 2) return call("POST", `${path}/mend`, { text: row.dataset.instead, revision });
    location.href = `/label/${row.dataset.document}?field=${row.dataset.field}`;
    return new Promise(() => {});
  },
};

const list = document.querySelector("[data-decide]");
let at = null;

function goTo(row) {
  at?.classList.remove("at");
  at = row;
  if (!row) return;
  row.classList.add("at");
  row.scrollIntoView({ block: "nearest" });
}

async function decide(row, button) {
  const next = row.nextElementSibling || row.previousElementSibling;
  try {
    const { revision } = await ACTS[list.dataset.decide](row, Number(button.dataset.key), button);
    list
      .querySelectorAll(`[data-document="${row.dataset.document}"]`)
      .forEach((its) => (its.dataset.revision = revision));
  } catch (error) {
    told(error);
    return;
  }
  row.remove();
  goTo(next);
  if (!list.querySelector("tbody tr")) again();
}

if (list) {
  list.addEventListener("click", (event) => {
    const row = event.target.closest("tbody tr");
    const button = event.target.closest("[data-key]");
    if (button) decide(row, button);
    else if (row) goTo(row);
  });
  goTo(list.querySelector("tbody tr"));
  setKeys({
    j: () => goTo(at?.nextElementSibling || at),
    k: () => goTo(at?.previousElementSibling || at),
    any: (event) => {
      const button = /^[0-9]$/.test(event.key) && at?.querySelector(`[data-key="${event.key}"]`);
      if (!button) return false;
      decide(at, button);
      return true;
    },
  });
}
