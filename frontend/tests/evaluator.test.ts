/** What is asked of the core: the newest wins, none pile up, and what fails is told once. */
import assert from "node:assert/strict";
import { afterEach, beforeEach, mock, test } from "node:test";
import type { Refused, Scene } from "../src/api/client";
import { EvaluationQueue, type Wanted } from "../src/api/evaluator";
import { type Asked, server, turns } from "./server";

let asked: Asked[];
let now: number;
let log: string[];
let queue: EvaluationQueue;
const scene = { populations: [{ id: "a" }, { id: "b" }], looks: [], signals: [] } as unknown as Scene;
const wanted = (trace: number | null = null): Wanted => ({ trace, preview: null, census: true, weigh: "count" });
const names = (ids: string[]) => ids.join();

beforeEach(() => {
  mock.timers.enable({ apis: ["setTimeout"] });
  now = 1000;
  mock.method(performance, "now", () => now);
  asked = server();
  log = [];
  queue = new EvaluationQueue({
    have: () => ({ base_colour: "d1" }),
    known: () => [],
    now: () => ({ scene, vision: null, frame: 4 }),
    seen: (_, ids, took, frame) => log.push(`seen ${names(ids)} ${took} ${frame}`),
    told: (_, ids) => log.push(`told ${names(ids)}`),
    failed: (error: Refused, ids) => log.push(`failed ${names(ids)} ${error.code}`),
  });
});
afterEach(() => {
  mock.timers.reset();
  mock.restoreAll();
});

const ask = async (id: string, trace: number | null = null) => {
  queue.ask([[id, wanted(trace)]]);
  await turns();
};
/** So long that what is in flight may be overtaken. */
async function late() {
  now += 255;
  mock.timers.tick(255);
  await turns();
}
const entry = (...ids: string[]) => ({ populations: Object.fromEntries(ids.map((id) => [id, {}])) });
/** Answer a request in its two messages. */
async function answered(of: Asked, ...ids: string[]) {
  of.send(entry(...ids), true);
  await turns();
  of.send(entry(...ids));
  await turns();
}

test("what is seen comes before what is told", async () => {
  await ask("a");
  now += 12;
  const [first] = asked;
  assert.deepEqual([first!.body.wanted[0].have, first!.body.frame], [{ base_colour: "d1" }, 4]);
  await answered(first!, "a");
  assert.deepEqual(log, ["seen a 12 4", "told a"]);
});

test("edits while one is in flight make one request, for all that is due", async () => {
  await ask("a");
  for (const trace of [1, 2, 3]) await ask("b", trace);
  assert.equal(asked.length, 1);
  await answered(asked[0]!, "a");
  assert.equal(asked.length, 2);
  assert.deepEqual(asked[1]!.body.wanted.map((w: Record<string, unknown>) => [w.population, w.trace]), [["b", 3]]);
  assert.ok(asked[1]!.body.sequence > asked[0]!.body.sequence);
});

test("one that takes long is overtaken by a second, and by no third", async () => {
  await ask("a", 1);
  await ask("a", 2);
  await late();
  assert.equal(asked.length, 2);
  await ask("a", 3);
  await late();
  assert.equal(asked.length, 2);
  asked[0]!.answer(409, { code: "overtaken", sentence: "", place: "" });
  await turns();
  assert.deepEqual(log, []);
  assert.equal(asked.length, 3);
});

test("an answer that comes after a newer one is dropped", async () => {
  await ask("a", 1);
  await ask("a", 2);
  await late();
  await answered(asked[1]!, "a");
  await answered(asked[0]!, "a");
  assert.deepEqual(log.map((line) => line.slice(0, 6)), ["seen a", "told a"]);
});

test("what an overtaken request was asked for is asked for again", async () => {
  queue.ask([["a", wanted()], ["b", wanted()]]);
  await turns();
  await ask("a", 2);
  await late();
  assert.deepEqual(asked[1]!.body.wanted.map((w: Record<string, unknown>) => w.population).toSorted(), ["a", "b"]);
});

test("a server that is away and a look that cannot run are told", async () => {
  await ask("a");
  asked[0]!.fail();
  await turns();
  await ask("b");
  asked[1]!.answer(422, { code: "no_column", sentence: "There is none.", place: "" });
  await turns();
  assert.deepEqual(log, ["failed a offline", "failed b no_column"]);
});

test("populations that are gone are not asked for", async () => {
  await ask("gone");
  assert.equal(asked.length, 0);
});

test("quiet is when the newest colours have come, or the time is over", async () => {
  const heard = new Array<string>();
  await ask("a");
  void queue.quiet(900).then(() => heard.push("come"));
  await turns();
  assert.equal(heard.length, 0);
  asked[0]!.send(entry("a"), true);
  await turns();
  assert.deepEqual(heard, ["come"]);
  await ask("b");
  void queue.quiet(900).then(() => heard.push("late"));
  mock.timers.tick(900);
  await turns();
  assert.deepEqual(heard, ["come", "late"]);
});
