/** Autosave: in order, nothing dropped, nothing twice, and undo of what waits. */
import assert from "node:assert/strict";
import { afterEach, beforeEach, mock, test } from "node:test";
import type { Scene } from "../src/api/client";
import { RETRY, Saver, type SaveState } from "../src/state/saver";
import { type Asked, server, turns } from "./server";

let asked: Asked[];
let states: SaveState[];
let saver: Saver;
const scene = (name: string) => ({ name }) as Scene;

beforeEach(() => {
  mock.timers.enable({ apis: ["setTimeout"] });
  asked = server();
  states = [];
  saver = new Saver("s", 7, (state) => states.at(-1) !== state && states.push(state), async () => undefined);
  saver.shows(scene("first"));
});
afterEach(() => {
  mock.timers.reset();
  mock.restoreAll();
});

/** Answer the oldest request, and let the page go on. */
async function next(act: (of: Asked) => void): Promise<Asked> {
  await turns();
  const of = asked.shift();
  assert.ok(of, "nothing was asked");
  act(of);
  await turns();
  return of;
}
const saved = (revision: number) => (of: Asked) => of.answer(200, { revision });
const away = (of: Asked) => of.fail();
async function retried() {
  mock.timers.tick(RETRY);
  await turns();
}

test("edits go one after the other, each from the revision before it", async () => {
  saver.save(scene("a"), "A");
  saver.save(scene("b"), "B");
  await turns();
  assert.equal(asked.length, 1);
  const first = await next(saved(8));
  const second = await next(saved(9));
  assert.deepEqual([first.body.base, first.body.document.name, second.body.base, second.body.document.name], [7, "a", 8, "b"]);
  assert.deepEqual(states, ["saving", "saved"]);
  await saver.settled();
});

test("an edit whose answer was lost is sent again under its own name", async () => {
  saver.save(scene("a"), "A");
  const lost = await next(away);
  assert.deepEqual(states, ["saving", "offline"]);
  await retried();
  // A try shows nothing by itself.
  assert.deepEqual(states, ["saving", "offline"]);
  const again = await next(saved(8));
  assert.equal(again.body.edit, lost.body.edit);
  assert.deepEqual(states, ["saving", "offline", "saved"]);
});

test("a busy server is asked again, one that refuses is not", async () => {
  saver.save(scene("a"), "A");
  await next((of) => of.answer(503, { code: "busy", sentence: "The data file is busy.", place: "" }));
  await retried();
  await next((of) => of.answer(422, { code: "invalid", sentence: "No.", place: "" }));
  await retried();
  assert.equal(asked.length, 0);
  assert.deepEqual(states, ["saving", "offline", "refused"]);
});

test("while the server is away, and while it is tried again, undo and redo work on what waits", async () => {
  saver.save(scene("a"), "A");
  saver.save(scene("b"), "B");
  await next(away);
  assert.equal(saver.travelHere("undo")?.name, "a");
  await retried();
  // The try is on its way: what was never sent is still taken back here.
  assert.equal(saver.travelHere("redo")?.name, "b");
  assert.equal(saver.travelHere("undo")?.name, "a");
  assert.equal(saver.travelHere("undo")?.name, "first");
  await next(saved(8));
  const last = await next(saved(9));
  // It may have been stored the first time, so it is followed by what was before it.
  assert.equal(last.body.document.name, "first");
  assert.equal(saver.travelHere("undo"), null);
});

test("another window's edit parts them: nothing more is sent", async () => {
  saver.save(scene("a"), "A");
  await next((of) => of.answer(409, { code: "conflict", sentence: "Another window went on.", place: "" }));
  saver.save(scene("b"), "B");
  await turns();
  assert.equal(asked.length, 0);
  assert.equal(states.at(-1), "conflict");
});

test("moves wait for edits and for each other, and nothing counts as saved before their answer", async () => {
  saver.save(scene("a"), "A");
  const moves = [saver.move("undo"), saver.move(3)];
  await turns();
  assert.deepEqual(asked.map(({ method }) => method), ["PUT"]);
  await next(saved(8));
  assert.equal(states.at(-1), "saving");
  const undo = await next(saved(9));
  const to = await next(saved(10));
  assert.deepEqual([undo.path, undo.body.base, to.path, to.body], ["/scenes/s/undo", 8, "/scenes/s/states", { base: 9, revision: 3 }]);
  await Promise.all(moves);
  assert.equal(states.at(-1), "saved");
});

test("a move whose answer was lost is not done twice", async () => {
  const move = saver.move("undo");
  await next(away);
  await next((of) => {
    assert.deepEqual([of.method, of.path], ["GET", "/scenes/s"]);
    of.answer(200, { revision: 8 });
  });
  assert.equal((await move).revision, 8);
  assert.equal(asked.length, 0);
});
