// A mark that was picked: the place on the paper, what was found and expected, and the way there.

import { call } from "../frame/server.js";

/**
 * @param {string} api
 * @param {import("./balances.js").Balance} balance
 * @param {number} place
 */
export async function showMark(api, balance, place) {
  const card = document.getElementById("mark-card");
  const words = document.createElement("p");
  words.textContent = `${balance.name}, ${balance.words(place)}`;
  const close = document.createElement("button");
  close.className = "btn-quiet";
  close.type = "button";
  close.textContent = "Close";
  close.addEventListener("click", () => (card.hidden = true));
  card.replaceChildren(words, close);
  card.hidden = false;
  const document_ = balance.marks[place][4];
  const query = new URLSearchParams({ field: balance.key, document: String(document_) });
  const found = await call("GET", `${api}/weigh/evidence?${query}`).catch(() => null);
  if (!found || balance.picked !== place) return;
  if (found.crop) {
    const picture = document.createElement("img");
    picture.src = found.crop;
    picture.alt = `${balance.name} on ${found.paper}`;
    card.prepend(picture);
  }
  if (found.address) {
    const link = document.createElement("a");
    link.href = found.address;
    link.textContent = `Open ${found.paper}`;
    close.before(link);
  } else words.append(`. ${found.paper}`);
}
