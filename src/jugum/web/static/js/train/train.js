// Train: the version in training tells its stage and share until it is done.

import { showAnew } from "../frame/leave.js";
import { call } from "../frame/server.js";

const page = document.querySelector("[data-train]");
const busy = page?.dataset.busy;

async function follow() {
  for (;;) {
    await new Promise((resolve) => setTimeout(resolve, 500));
    const version = await call("GET", `/api/v1/versions/${busy}`).catch(() => null);
    if (!version) continue;
    if (!["queued", "training"].includes(version.state)) {
      showAnew();
      return;
    }
    page.querySelector("[data-stage]").textContent = version.stage;
    page.querySelector("[data-share]").textContent = `${Math.round(version.progress * 100)} %`;
    page.querySelector("progress.wide").value = version.progress;
    page.querySelector("[data-left]").textContent =
      version.seconds_left === null ? "" : `about ${Math.round(version.seconds_left)} s left`;
  }
}
if (busy) follow();
