// The light table: pages of a bundle in order, seams that cut and join, drag, turn, set aside, type, undo.

import { call } from "../frame/server.js";
import { setKeys } from "../frame/keys.js";
import { ask, tell } from "../frame/dialogs.js";
import { beam } from "../frame/beam.js";

const root = document.getElementById("light-table");
const id = root.dataset.id;
const plane = root.querySelector("[data-pieces]");
const part = (name) => root.querySelector(`[data-${name}]`);

let bundle = null;
let pieces = [];
const past = [];
let future = [];
let cursor = 1; // the page the keys act on, by its number
const turned = {};

const copy = (value) => JSON.parse(JSON.stringify(value));
const open = () => bundle.state === "to cut" || (bundle.state !== "unpacked" && !bundle.papers.length);
const order = () => pieces.flatMap((piece) => piece.pages);

function el(name, attributes = {}, ...children) {
  const made = document.createElement(name);
  for (const [key, value] of Object.entries(attributes)) {
    if (key === "class") made.className = value;
    else if (key.startsWith("on")) made.addEventListener(key.slice(2), value);
    else if (value !== null && value !== false) made.setAttribute(key, value);
  }
  made.append(...children);
  return made;
}

// ---- Changes: each is kept at once, and can be undone ----

let saving = Promise.resolve();
let unsaved = 0;
function save() {
  const now = copy(pieces);
  unsaved += 1;
  root.dataset.unsaved = String(unsaved);
  saving = saving.then(async () => {
    try {
      const kept = await call("PUT", `/api/v1/documents/${id}/cut`, { revision: bundle.revision, pieces: now });
      bundle.revision = kept.revision;
    } catch (error) {
      await tell("The change was not saved", error.message);
    }
    unsaved -= 1;
    root.dataset.unsaved = String(unsaved);
  });
  return saving;
}

// Who leaves while a change is on its way is asked first.
window.addEventListener("beforeunload", (event) => {
  if (unsaved) event.preventDefault();
});

function change(alter) {
  if (!open()) return;
  const before = copy(pieces);
  alter();
  pieces = pieces.filter((piece) => piece.pages.length);
  past.push(before);
  future = [];
  draw();
  save();
}

function back(from, to) {
  if (!from.length) return;
  to.push(copy(pieces));
  pieces = from.pop();
  draw();
  save();
}

function find(number) {
  const at = pieces.findIndex((piece) => piece.pages.includes(number));
  return [at, pieces[at]?.pages.indexOf(number) ?? -1];
}

function cutOrJoin(number) {
  const [at, place] = find(number);
  change(() => {
    if (place > 0) {
      const piece = pieces[at];
      const rest = { ...piece, pages: piece.pages.splice(place), sure: 1 };
      pieces.splice(at + 1, 0, rest);
    } else if (at > 0) {
      const before = pieces[at - 1];
      before.pages.push(...pieces[at].pages);
      before.aside = before.aside && pieces[at].aside;
      before.sure = 1;
      pieces.splice(at, 1);
    }
  });
}

function setAside(number) {
  const [at, place] = find(number);
  change(() => {
    const piece = pieces[at];
    if (piece.aside) {
      piece.aside = false;
      return;
    }
    const after = piece.pages.splice(place + 1);
    piece.pages.splice(place, 1);
    const parts = [{ pages: [number], type_id: null, aside: true, sure: 1, type_sure: 0 }];
    if (after.length) {
      // A page taken out of the middle leaves one paper of what was around it.
      piece.pages.push(...after);
    }
    pieces.splice(at + 1, 0, ...parts);
  });
}

function setType(number, type) {
  const [at] = find(number);
  change(() => {
    pieces[at].type_id = type;
    pieces[at].type_sure = 1;
    pieces[at].aside = false;
  });
}

function move(number, before) {
  if (number === before) return;
  change(() => {
    const [from, place] = find(number);
    pieces[from].pages.splice(place, 1);
    const [to, target] = find(before);
    pieces[to].pages.splice(target, 0, number);
    pieces[to].sure = 1;
  });
}

function step(by) {
  const all = order();
  const at = all.indexOf(cursor) + by;
  if (at >= 0 && at < all.length)
    change(() => {
      const [a, pa] = find(cursor);
      const [b, pb] = find(all[at]);
      [pieces[a].pages[pa], pieces[b].pages[pb]] = [pieces[b].pages[pb], pieces[a].pages[pa]];
    });
}

async function turn(number) {
  if (!open()) return;
  try {
    await saving;
    const asked = { pages: [number], turn: 90, revision: bundle.revision };
    bundle.revision = (await call("POST", `/api/v1/documents/${id}/read-again`, asked)).revision;
    turned[number] = (turned[number] || 0) + 90;
    draw();
    for (;;) {
      await new Promise((resolve) => setTimeout(resolve, 500));
      const now = await call("GET", `/api/v1/documents/${id}/cut`);
      if (now.pages[number - 1].read) {
        bundle.pages = now.pages;
        delete turned[number];
        stamp += 1;
        draw();
        return;
      }
    }
  } catch (error) {
    await tell("The page was not turned", error.message);
  }
}

// ---- Drawing ----

let stamp = 0;
let size = Number(localStorage.getItem("jugum-table-size")) || 150;

function pageTile(number, first) {
  const page = bundle.pages[number - 1];
  const image = el("img", {
    src: `/documents/${id}/pages/${number}${size > 190 ? "" : "/peek"}.jpg?v=${stamp}`,
    alt: `page ${number}`,
    loading: "lazy",
    draggable: "false",
  });
  const tile = el(
    "button",
    {
      class: `tile${number === cursor ? " at" : ""}`,
      "data-number": number,
      draggable: open() ? "true" : "false",
      type: "button",
      "aria-label": `Page ${number}${page.blank ? ", blank" : ""}`,
    },
    image,
    el("span", { class: "number" }, `${number}${page.blank ? " · blank" : page.separator ? " · separator" : ""}`),
  );
  tile.style.width = `${size}px`;
  image.style.height = `${Math.round(size * Math.min(1.6, page.height_pt / page.width_pt))}px`;
  if (turned[number]) image.style.transform = `rotate(${turned[number]}deg) scale(.7)`;
  tile.addEventListener("click", () => {
    cursor = number;
    mark();
  });
  tile.addEventListener("dragstart", (event) => {
    event.dataTransfer.setData("text/plain", number);
    event.dataTransfer.effectAllowed = "move";
  });
  tile.addEventListener("dragover", (event) => {
    event.preventDefault();
    tile.classList.add("over");
  });
  tile.addEventListener("dragleave", () => tile.classList.remove("over"));
  tile.addEventListener("drop", (event) => {
    event.preventDefault();
    tile.classList.remove("over");
    const from = Number(event.dataTransfer.getData("text/plain"));
    if (from) move(from, number);
  });
  const seam = first
    ? null
    : el("button", {
        class: "seam",
        type: "button",
        title: "Cut here",
        "aria-label": `Cut before page ${number}`,
        onclick: () => cutOrJoin(number),
      });
  return seam ? [seam, tile] : [tile];
}

function pieceSheet(piece, at, paper) {
  const types = el(
    "select",
    { class: "form-select", "aria-label": `Type of paper ${paper}` },
    el("option", { value: "" }, "type found automatically"),
    ...bundle.types.map(([type, name]) => el("option", { value: type }, name)),
  );
  types.value = piece.type_id ?? "";
  types.disabled = !open();
  types.addEventListener("change", () => setType(piece.pages[0], types.value ? Number(types.value) : null));
  const head = piece.aside
    ? el(
        "div",
        { class: "piece-head quiet" },
        "set aside",
        ...(open()
          ? [el("button", { class: "btn-quiet", type: "button", onclick: () => setAside(piece.pages[0]) }, "Take back")]
          : []),
      )
    : el(
        "div",
        { class: "piece-head" },
        el("b", {}, `Paper ${paper}`),
        types,
        beam(Math.min(piece.sure, 0.999), bundle.sure_least),
      );
  const joins =
    at > 0
      ? [
          el("button", {
            class: "seam cut",
            type: "button",
            title: "Join with the pages before",
            "aria-label": `Join page ${piece.pages[0]} with the pages before`,
            onclick: () => cutOrJoin(piece.pages[0]),
          }),
        ]
      : [];
  return [
    ...joins,
    el(
      "section",
      { class: `piece${piece.aside ? " aside" : ""}` },
      head,
      el("div", { class: "tiles" }, ...piece.pages.flatMap((number, place) => pageTile(number, place === 0))),
    ),
  ];
}

function draw() {
  let paper = 0;
  plane.replaceChildren(...pieces.flatMap((piece, at) => pieceSheet(piece, at, piece.aside ? 0 : (paper += 1))));
  const aside = pieces.filter((piece) => piece.aside).reduce((sum, piece) => sum + piece.pages.length, 0);
  const papers = [
    `${paper} ${paper === 1 ? "paper" : "papers"} of ${bundle.pages.length} pages`,
    aside ? `, ${aside} set aside` : "",
  ].join("");
  part("state").textContent = open() ? papers : `cut into ${papers}`;
  part("make").textContent = `Make ${paper} ${paper === 1 ? "paper" : "papers"}`;
  part("make").classList.toggle("d-none", !open());
  part("join").classList.toggle("d-none", open());
  part("undo").disabled = !past.length;
  part("redo").disabled = !future.length;
}

function mark() {
  plane
    .querySelectorAll(".tile")
    .forEach((tile) => tile.classList.toggle("at", Number(tile.dataset.number) === cursor));
  plane.querySelector(".tile.at")?.scrollIntoView({ block: "nearest" });
}

function walk(by) {
  const all = order();
  cursor = all[Math.max(0, Math.min(all.length - 1, all.indexOf(cursor) + by))];
  mark();
}

async function make() {
  await saving;
  try {
    await call("POST", `/api/v1/documents/${id}/cut`, { revision: bundle.revision, pieces });
    location.href = root.dataset.home;
  } catch (error) {
    await tell("No papers were made", error.message);
  }
}

async function join() {
  if (
    (await ask({
      title: "Join the papers again?",
      text:
        "The papers are deleted and the bundle can be cut again. This is not possible when somebody has worked on " +
        "one of them.",
      verb: "Join again",
    })) === null
  )
    return;
  try {
    await call("POST", `/api/v1/documents/${id}/join`, { revision: bundle.revision });
    location.reload();
  } catch (error) {
    await tell("The papers were not joined", error.message);
  }
}

function resize(to) {
  size = Math.max(90, Math.min(320, to));
  part("size").value = size;
  localStorage.setItem("jugum-table-size", String(size));
  draw();
}

part("make").addEventListener("click", make);
part("join").addEventListener("click", join);
part("undo").addEventListener("click", () => back(past, future));
part("redo").addEventListener("click", () => back(future, past));
part("size").value = size;
part("size").addEventListener("input", (event) => resize(Number(event.target.value)));
const numbers = Object.fromEntries(
  Array.from({ length: 10 }, (_, number) => [
    String(number),
    () => setType(cursor, number ? (bundle.types[number - 1]?.[0] ?? null) : null),
  ]),
);
setKeys({
  ...numbers,
  ArrowRight: () => walk(1),
  ArrowLeft: () => walk(-1),
  j: () => walk(1),
  k: () => walk(-1),
  c: () => cutOrJoin(cursor),
  r: () => turn(cursor),
  x: () => setAside(cursor),
  u: () => back(past, future),
  U: () => back(future, past),
  ",": () => step(-1),
  ".": () => step(1),
  "+": () => resize(size + 20),
  "-": () => resize(size - 20),
  "Ctrl+Enter": make,
  Escape: () => {
    location.href = root.dataset.home;
  },
});
bundle = await call("GET", `/api/v1/documents/${id}/cut`);
pieces = copy(bundle.pieces);
cursor = order()[0];
draw();
