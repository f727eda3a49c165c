// The page explorer: each layer of a page over its picture and as text, hover and click both ways; zoom, light,
// turning, regions.

import { call } from "../frame/server.js";
import { setKeys } from "../frame/keys.js";
import { ask, tell } from "../frame/dialogs.js";
import { svg } from "../frame/beam.js";
import { LAYERS, percent } from "./layers.js";

const root = document.getElementById("explorer");
const id = root.dataset.id;
const count = Number(root.dataset.pages);
const part = (name) => root.querySelector(`[data-${name}]`);
const [scroll, box, picture, sharp, overlay, found] = [
  "scroll",
  "page-box",
  "picture",
  "sharp",
  "overlay",
  "found",
].map(part);

let page = null;
let revision = Number(root.dataset.revision);
let number = Math.max(1, Math.min(count, Number(new URLSearchParams(location.search).get("page")) || 1));
let layer = localStorage.getItem("jugum-layer") || "words";
let zoom = 100;
let chosen = -1;
let stamp = Date.now();
let grey = false;
let sweeping = null; // the region bar is open: { box }

const names = Object.keys(LAYERS);

// ---- Drawing ----

let things = [];

function rect(place, kind) {
  return svg("rect", {
    class: kind,
    x: place[0] * 1000,
    y: place[1] * 1000,
    width: Math.max(0.5, (place[2] - place[0]) * 1000),
    height: Math.max(0.5, (place[3] - place[1]) * 1000),
  });
}

function drawLayer() {
  things = page.read && !page.problem ? LAYERS[layer][1](page) : [];
  chosen = -1;
  overlay.replaceChildren(
    ...things.map((thing, at) => {
      const group = svg(
        "g",
        { class: "thing", "data-at": at },
        ...thing.boxes.map((place, which) => rect(place, which && !thing.link ? "inner" : "outer")),
      );
      if (thing.link) {
        const [a, b] = thing.boxes;
        group.append(
          svg("line", {
            class: "tie",
            x1: a[2] * 1000,
            y1: (a[1] + a[3]) * 500,
            x2: b[0] * 1000,
            y2: (b[1] + b[3]) * 500,
          }),
        );
      }
      return group;
    }),
  );
  found.replaceChildren(...(things.length ? things.map(listed) : [emptyWord()]));
  part("layers")
    .querySelectorAll("button")
    .forEach((button) => button.setAttribute("aria-selected", button.dataset.layer === layer));
  localStorage.setItem("jugum-layer", layer);
}

function emptyWord() {
  const said = document.createElement("p");
  said.className = "quiet empty-layer";
  said.textContent =
    page.problem || (!page.read ? "This page is being read." : `No ${LAYERS[layer][0].toLowerCase()} on this page.`);
  return said;
}

function listed(thing, at) {
  const item = document.createElement("div");
  item.className = "found-thing";
  item.dataset.at = at;
  item.tabIndex = -1;
  if (thing.small && thing.small.length < 16 && !thing.table && !thing.link) item.classList.add("short");
  if (thing.small) {
    const small = document.createElement("div");
    small.className = "quiet small";
    small.textContent = thing.small;
    item.append(small);
  }
  if (thing.table) item.append(grid(thing.table));
  else {
    const text = document.createElement("div");
    text.className = "mono said";
    text.textContent = thing.text;
    item.append(text);
  }
  if (thing.parts) {
    const list = document.createElement("dl");
    for (const [name, value] of Object.entries(thing.parts)) {
      const term = document.createElement("dt");
      term.textContent = name;
      const said = document.createElement("dd");
      said.textContent = value || "–";
      list.append(term, said);
    }
    item.append(list);
  }
  return item;
}

function grid(table) {
  const made = document.createElement("table");
  made.className = "grid";
  for (let row = 0; row < table.rows; row += 1) {
    const line = made.insertRow();
    for (let column = 0; column < table.columns; column += 1) {
      line.insertCell().textContent =
        table.cells.find((cell) => cell.row === row && cell.column === column)?.text ?? "";
    }
  }
  return made;
}

function show(at, { scrollPage = false, scrollList = false } = {}) {
  chosen = at;
  overlay.querySelectorAll(".thing").forEach((group) => group.classList.toggle("at", Number(group.dataset.at) === at));
  found.querySelectorAll(".found-thing").forEach((item) => item.classList.toggle("at", Number(item.dataset.at) === at));
  if (at < 0 || !things[at]) return;
  if (scrollList) found.querySelector(`[data-at="${at}"]`)?.scrollIntoView({ block: "nearest" });
  if (scrollPage && things[at].boxes.length) {
    const [x0, y0] = things[at].boxes[0];
    scroll.scrollTo({
      top: y0 * box.clientHeight - scroll.clientHeight / 3,
      left: x0 * box.clientWidth - scroll.clientWidth / 3,
    });
  }
}

const atOf = (event, selector) => {
  const hit = event.target.closest(selector);
  return hit ? Number(hit.dataset.at) : -1;
};
overlay.addEventListener("pointermove", (event) => {
  if (!sweeping) {
    const at = atOf(event, ".thing");
    if (at >= 0 && at !== chosen) show(at, { scrollList: true });
  }
});
overlay.addEventListener("click", (event) => {
  if (!sweeping) show(atOf(event, ".thing"), { scrollList: true });
});
found.addEventListener("pointermove", (event) => {
  const at = atOf(event, ".found-thing");
  if (at >= 0 && at !== chosen) show(at);
});
found.addEventListener("click", (event) => show(atOf(event, ".found-thing"), { scrollPage: true }));

// ---- The picture: zoom to 800 %, sharp where somebody looks; light ----

const screenDpi = 96;
let sharpTimer = 0;
/** @type {HTMLImageElement | null} the newest piece asked for; older ones that come late are passed over */
let lastSharp = null;

function fitPage() {
  if (!page) return;
  const fit = Math.min(1, (scroll.clientWidth - 48) / ((page.width_pt * screenDpi) / 72));
  const width = (((page.width_pt * screenDpi) / 72) * fit * zoom) / 100;
  box.style.width = `${width}px`;
  box.style.height = `${(width * page.height_pt) / page.width_pt}px`;
  part("zoom").value = zoom;
  part("zoom-said").textContent = `${zoom} %`;
  sharp.hidden = true;
  clearTimeout(sharpTimer);
  sharpTimer = setTimeout(sharpen, 220);
}

// Beyond the drawn picture's own resolution, the part in view is drawn anew at the one it is seen at.
function sharpen() {
  const wanted = Math.min(600, Math.round((box.clientWidth / (page.width_pt / 72)) * window.devicePixelRatio));
  const plain = Math.round(page.width / (page.width_pt / 72));
  if (wanted <= plain * 1.15 && !grey) return;
  const [left, top] = [scroll.scrollLeft - box.offsetLeft, scroll.scrollTop - box.offsetTop];
  const clamp = (value) => Math.max(0, Math.min(1, value));
  const view = [
    clamp(left / box.clientWidth - 0.02),
    clamp(top / box.clientHeight - 0.02),
    clamp((left + scroll.clientWidth) / box.clientWidth + 0.02),
    clamp((top + scroll.clientHeight) / box.clientHeight + 0.02),
  ];
  if (view[2] - view[0] < 0.005 || view[3] - view[1] < 0.005) return;
  const image = new Image();
  image.addEventListener("load", () => {
    if (image !== lastSharp) return;
    sharp.src = image.src;
    sharp.style.left = `${view[0] * 100}%`;
    sharp.style.top = `${view[1] * 100}%`;
    sharp.style.width = `${(view[2] - view[0]) * 100}%`;
    sharp.style.height = `${(view[3] - view[1]) * 100}%`;
    sharp.hidden = false;
  });
  lastSharp = image;
  const sides = view.map((side) => side.toFixed(5)).join(",");
  const asked = `box=${sides}&dpi=${Math.max(72, wanted)}&grey=${grey}&v=${stamp}`;
  image.src = `/documents/${id}/pages/${number}/region.jpg?${asked}`;
}
scroll.addEventListener("scroll", () => {
  clearTimeout(sharpTimer);
  sharpTimer = setTimeout(sharpen, 220);
});
new ResizeObserver(fitPage).observe(scroll);

function zoomTo(to) {
  const middle = [
    (scroll.scrollLeft + scroll.clientWidth / 2) / box.clientWidth,
    (scroll.scrollTop + scroll.clientHeight / 2) / box.clientHeight,
  ];
  zoom = Math.max(25, Math.min(800, to));
  fitPage();
  scroll.scrollTo(
    middle[0] * box.clientWidth - scroll.clientWidth / 2,
    middle[1] * box.clientHeight - scroll.clientHeight / 2,
  );
}

function light() {
  const [brightness, contrast] = [part("brightness").value, part("contrast").value];
  part("brightness-said").textContent = `${brightness} %`;
  part("contrast-said").textContent = `${contrast} %`;
  for (const image of [picture, sharp])
    image.style.filter = `${grey ? "grayscale(1) " : ""}brightness(${brightness / 100}) contrast(${contrast / 100})`;
}

part("zoom").addEventListener("input", (event) => zoomTo(Number(event.target.value)));
for (const name of ["brightness", "contrast"]) part(name).addEventListener("input", light);
part("grey").addEventListener("change", (event) => {
  grey = event.target.checked;
  light();
  fitPage();
});
part("plain").addEventListener("click", () => {
  part("brightness").value = part("contrast").value = 100;
  part("grey").checked = grey = false;
  light();
  zoomTo(100);
});

// ---- Pages ----

async function open(to) {
  number = Math.max(1, Math.min(count, to));
  document.getElementById("page-number").value = number;
  const address = new URL(location.href);
  address.searchParams.set("page", String(number));
  history.replaceState(null, "", address);
  // The picture at once: its layers are worked out at the first look, which takes up to a second.
  const asked = number;
  part("about").textContent = `looking at page ${number} of ${count} …`;
  overlay.replaceChildren();
  picture.src = `/documents/${id}/pages/${number}.jpg?v=${stamp}`;
  picture.alt = `page ${number}`;
  let got;
  try {
    got = await call("GET", `/api/v1/documents/${id}/pages/${number}/layers`);
  } catch (error) {
    if (asked === number) await tell("The page can't be shown", error.message);
    return;
  }
  if (asked !== number) return; // another page was turned to meanwhile
  page = got;
  const by =
    page.source === "text layer"
      ? "from its text layer"
      : page.source === "mixed"
        ? "from its text layer and pictures"
        : `from the picture, engine: ${page.engine}`;
  const read = page.source
    ? `${by} · ${page.source === "ocr" ? `${percent(page.confidence)} sure over ` : ""}${page.words.length} words`
    : page.problem || "being read";
  const moved = [
    page.rotation ? `turned ${page.rotation}°` : "",
    Math.abs(page.skew) >= 0.15 ? `straightened by ${page.skew.toFixed(1).replace("-", "−")}°` : "",
    page.note,
  ].filter(Boolean);
  part("about").textContent = [read, ...moved].join(" · ");
  fitPage();
  drawLayer();
}

part("layers").append(
  ...names.map((name, at) => {
    const button = document.createElement("button");
    button.type = "button";
    button.setAttribute("role", "tab");
    button.dataset.layer = name;
    const key = document.createElement("kbd");
    key.textContent = String(at + 1);
    button.append(key, ` ${LAYERS[name][0]}`);
    button.addEventListener("click", () => {
      layer = name;
      drawLayer();
    });
    return button;
  }),
);
root
  .querySelectorAll("[data-page]")
  .forEach((button) => button.addEventListener("click", () => open(number + Number(button.dataset.page))));
document.getElementById("page-number").addEventListener("change", (event) => open(Number(event.target.value)));

// ---- Correcting ----

async function readAgain(asked, pages) {
  part("about").textContent = "being read again …";
  root.querySelectorAll("details.menu[open]").forEach((menu) => {
    menu.open = false;
  });
  try {
    ({ revision } = await call("POST", `/api/v1/documents/${id}/read-again`, { ...asked, pages, revision }));
    for (;;) {
      await new Promise((resolve) => setTimeout(resolve, 500));
      const now = await call("GET", `/api/v1/documents/${id}`);
      if (pages) part("about").textContent = "being read again …";
      else part("about").textContent = `${now.pages_read} of ${now.page_count} pages read again`;
      if (now.pages_read === now.page_count) break;
    }
    stamp = Date.now();
  } catch (error) {
    await tell("The page was not read again", error.message);
  }
  await open(number);
}

// Words that another reader read from the same pages, in place of ours.
part("alto")?.addEventListener("click", () => part("alto-file").click());
part("alto-file")?.addEventListener("change", async (event) => {
  const form = new FormData();
  form.append("file", event.target.files[0]);
  form.append("revision", String(revision));
  event.target.value = "";
  try {
    const taken = await call("PUT", `/api/v1/documents/${id}/words.alto`, form);
    await tell("Words imported", `${taken.words} words of the file replace the words that were read.`);
    location.reload();
  } catch (error) {
    tell("The words were not imported", error.message);
  }
});

root
  .querySelectorAll("[data-turn]")
  .forEach((button) =>
    button.addEventListener("click", () => readAgain({ turn: Number(button.dataset.turn) }, [number])),
  );
root.querySelectorAll("[data-all]").forEach((button) =>
  button.addEventListener("click", async () => {
    const from = button.dataset.all === "picture";
    const asked = from ? { text_layer: false } : { engine: button.dataset.all };
    if (
      (await ask({
        title: `Read all ${count} pages again?`,
        text: "Words are replaced by the new ones. Labels keep their text and their place.",
        verb: "Read again",
      })) !== null
    )
      readAgain(asked, null);
  }),
);

root.querySelectorAll("[data-retype]").forEach((button) =>
  button.addEventListener("click", async () => {
    try {
      await call("POST", `/api/v1/documents/${id}/place`, {
        type_id: button.dataset.retype ? Number(button.dataset.retype) : null,
        revision,
      });
      location.reload();
    } catch (error) {
      await tell("The type was not changed", error.message);
    }
  }),
);

const bar = part("region-bar");
function startRegion() {
  if (!root.dataset.may) return;
  root.querySelectorAll("details.menu[open]").forEach((menu) => {
    menu.open = false;
  });
  sweeping = { box: null };
  bar.classList.remove("d-none");
  overlay.classList.add("sweeping");
  part("region-said").textContent = "";
}

function leaveRegion() {
  sweeping = null;
  bar.classList.add("d-none");
  overlay.classList.remove("sweeping");
  overlay.querySelector(".region")?.remove();
}

function pointOf(event) {
  const bounds = overlay.getBoundingClientRect();
  return [(event.clientX - bounds.left) / bounds.width, (event.clientY - bounds.top) / bounds.height].map((side) =>
    Math.max(0, Math.min(1, side)),
  );
}

let start = null;
overlay.addEventListener("pointerdown", (event) => {
  if (sweeping) {
    start = pointOf(event);
    overlay.setPointerCapture(event.pointerId);
  }
});
overlay.addEventListener("pointermove", (event) => {
  if (!sweeping || !start) return;
  const end = pointOf(event);
  sweeping.box = [
    Math.min(start[0], end[0]),
    Math.min(start[1], end[1]),
    Math.max(start[0], end[0]),
    Math.max(start[1], end[1]),
  ];
  overlay.querySelector(".region")?.remove();
  overlay.append(rect(sweeping.box, "region"));
});
overlay.addEventListener("pointerup", () => {
  if (sweeping && start) {
    start = null;
    readRegion();
  }
});

const regionAsked = () => ({
  box: sweeping.box,
  engine: part("region-engine").value,
  language: root.dataset.language,
  dpi: Number(part("region-dpi").value) || null,
  contrast: part("region-contrast").checked,
});

async function readRegion() {
  if (!sweeping?.box || sweeping.box[2] - sweeping.box[0] < 0.003 || sweeping.box[3] - sweeping.box[1] < 0.003) return;
  const said = part("region-said");
  said.textContent = "reading …";
  part("region-take").disabled = true;
  try {
    const words = await call("POST", `/api/v1/documents/${id}/pages/${number}/region`, regionAsked());
    const mean = words.reduce((sum, word) => sum + word[5], 0) / (words.length || 1);
    said.textContent = words.length ? `${words.map((word) => word[0]).join(" ")}  (${percent(mean)})` : "no words here";
    part("region-take").disabled = false;
  } catch (error) {
    said.textContent = error.message;
  }
}

for (const name of ["region-engine", "region-dpi", "region-contrast"])
  part(name).addEventListener("change", readRegion);
part("region-take").addEventListener("click", async () => {
  try {
    await call("PUT", `/api/v1/documents/${id}/pages/${number}/region`, regionAsked());
    leaveRegion();
    await open(number);
  } catch (error) {
    await tell("The words were not taken", error.message);
  }
});
part("region-leave").addEventListener("click", leaveRegion);
root.querySelector("[data-region]")?.addEventListener("click", startRegion);

const walk = (by) =>
  show(Math.max(0, Math.min(things.length - 1, chosen + by)), { scrollPage: true, scrollList: true });
setKeys({
  ...Object.fromEntries(
    names.map((name, at) => [
      String(at + 1),
      () => {
        layer = name;
        drawLayer();
      },
    ]),
  ),
  "[": () => open(number - 1),
  "]": () => open(number + 1),
  j: () => walk(1),
  k: () => walk(-1),
  "+": () => zoomTo(zoom + (zoom >= 200 ? 100 : 25)),
  "-": () => zoomTo(zoom - (zoom > 200 ? 100 : 25)),
  0: () => zoomTo(100),
  r: () => root.dataset.may && readAgain({ turn: 90 }, [number]),
  a: startRegion,
  v: () => {
    part("grey").checked = grey = !grey;
    light();
    fitPage();
  },
  Escape: () => {
    if (sweeping) leaveRegion();
    else history.back();
  },
});
await open(number);
