// Saving as one goes: in order, again after a broken connection, and nothing that was entered is lost.

import assert from "node:assert/strict";
import { beforeEach, describe, it } from "node:test";

const kept = new Map();
globalThis.document = /** @type {any} */ ({ querySelector: () => null });
globalThis.window = /** @type {any} */ ({ addEventListener() {} });
globalThis.localStorage = /** @type {any} */ ({
  getItem: (name) => kept.get(name) ?? null,
  setItem: (name, value) => kept.set(name, value),
  removeItem: (name) => kept.delete(name),
});
const { Saver } = await import("../../src/jugum/web/static/js/desk/saver.js");

let sent, answers, heard;

function saver() {
  return new Saver({
    name: "desk",
    path: (key) => `/labels/${key}`,
    revision: () => 7,
    retryMs: 60,
    told: () => {},
    saved: (item) => heard.push(["saved", item.key]),
    conflict: async (item) => heard.push(["conflict", item.key]),
    refused: (item, error) => heard.push(["refused", item.key, error.message]),
  });
}

beforeEach(() => {
  kept.clear();
  [sent, answers, heard] = [[], [], []];
  globalThis.fetch = /** @type {any} */ (
    async (path, { body }) => {
      sent.push([path, body && JSON.parse(body)]);
      const status = answers.shift() ?? 200;
      if (status === 0) throw new TypeError("no connection");
      return { status, ok: status < 300, json: async () => ({ error: `status ${status}` }) };
    }
  );
});

describe("saving", () => {
  it("sends one after another with the paper's revision, and keeps nothing once all is saved", async () => {
    const one = saver();
    one.put("a", { values: [1] });
    await one.put("b", { values: [2] });
    assert.deepEqual(sent, [
      ["/labels/a", { values: [1], revision: 7 }],
      ["/labels/b", { values: [2], revision: 7 }],
    ]);
    assert.equal(kept.size, 0);
  });

  it("takes an answer back that has no body", async () => {
    await saver().put("a", null);
    assert.deepEqual(sent, [["/labels/a?revision=7", undefined]]);
  });

  it("sends the next answer only when what the last one changed is known", async () => {
    let revision = 1;
    const one = saver();
    one.revision = () => revision;
    one.saved = async () => {
      await new Promise((resolve) => setTimeout(resolve, 5));
      revision += 1;
    };
    for (const key of ["a", "b", "c"]) one.put(key, {});
    await one.run();
    assert.deepEqual(
      sent.map(([, body]) => body.revision),
      [1, 2, 3],
    );
  });

  it("sends only the newest answer of a field that waits", async () => {
    const one = saver();
    one.put("a", { values: [1] });
    one.put("b", { values: [2] });
    await one.put("b", { values: [3] });
    assert.deepEqual(
      sent.map(([, body]) => body.values[0]),
      [1, 3],
    );
  });

  it("keeps an answer on this machine while the server is away, and sends it again", async () => {
    answers = [0, 503];
    const waiting = saver().put("a", { values: [1] });
    await new Promise((resolve) => setTimeout(resolve, 20));
    assert.deepEqual(JSON.parse(kept.get("desk")), [{ key: "a", body: { values: [1] } }]);
    await waiting;
    assert.equal(sent.length, 3);
    assert.deepEqual(heard, [["saved", "a"]]);
  });

  it("finds what a closed page had not sent", () => {
    kept.set("desk", JSON.stringify([{ key: "a", body: { values: [1] } }]));
    assert.equal(saver().waiting.length, 1);
  });

  it("hands a conflict and a refusal over, and goes on with the next", async () => {
    answers = [409, 422, 200];
    const one = saver();
    one.put("a", {});
    one.put("b", {});
    await one.put("c", {});
    assert.deepEqual(heard, [
      ["conflict", "a"],
      ["refused", "b", "status 422"],
      ["saved", "c"],
    ]);
  });
});
