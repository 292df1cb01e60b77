/** Arithmetic in fields, shares, keys of rows, paths and edits of documents: tables of what goes in and what comes out. */
import assert from "node:assert/strict";
import { test } from "node:test";
import type { Look, Scene, Step } from "../src/api/client";
import * as edits from "../src/state/edits";
import { carried } from "../src/state/keys";
import cases from "../../tests/core/data/paths.json";
import { parsePath, type Path, pathText, pointer } from "../src/state/paths";
import { leastApart, pointsApart } from "../src/view3d/drawers/apart";
import { calculated } from "../src/widgets/arithmetic";
import { textOn, withShare } from "../src/widgets/shares";

test("arithmetic", () => {
  const table: [string, number | null][] = [
    ["2+3*4", 14], ["(2+3)*4", 20], ["-2*-(3+1)", 8], ["1/4", 0.25], [".5e2", 50], ["7,5", 7.5], ["1,000,000", 1e6], ["1 000", 1000],
    ["1'500", 1500], ["1,500", 1.5], ["2(3)", null], ["1/0", null], ["(1", null], ["1+", null], ["", null], ["many", null], ["1..2", null],
  ];
  for (const [text, value] of table) assert.equal(calculated(text), value, text);
  for (const text of ["5,000", "5.000", "5 000", "5'000", "5\u202f000"]) assert.equal(calculated(text, true), 5000, text);
  assert.equal(calculated("1,000*2", true), 2000);
});

test("points that the view cannot show apart are left, but both ends never", () => {
  const places = [0, 0, 0, 0.1, 0, 0, 0.2, 0, 0, 1, 0, 0, 1.05, 0, 0, 5, 5, 5, 5, 5, 5];
  assert.deepEqual(pointsApart(places, 0, 5, 0.15), [0, 2, 3, 4]);
  assert.deepEqual(pointsApart(places, 0, 5, 0), [0, 1, 2, 3, 4]);
  assert.deepEqual(pointsApart(places, 5, 7, 1), [5, 6]);
  assert.deepEqual(pointsApart(places, 3, 4, 1), [3]);
  assert.equal(leastApart([0, 0, 0], [0, 0, 4096]), 1);
});

test("a share that is typed", () => {
  const near = (found: number[], wanted: number[]) => found.forEach((share, k) => assert.ok(Math.abs(share - wanted[k]!) < 1e-12, `${found}`));
  near(withShare([10, 10, 20], 0, 0.5), [0.5, 1 / 6, 1 / 3]);
  near(withShare([10, 10, 20], 0, 0.5, [false, true, false]), [0.5, 0.25, 0.25]);
  near(withShare([10, 10, 20], 0, 0.9, [false, true, false]), [0.75, 0.25, 0]);
  near(withShare([1, 0, 0], 0, 0.4), [0.4, 0.3, 0.3]);
  near(withShare([1, 1, 1], 1, 0.2, [], new Map([[0, 0.7]])), [0.7, 0.2, 0.1]);
  near(withShare([3, 1], 0, 0.1, [false, true]), [0.75, 0.25]);
});

test("words on a colour are black or white, by WCAG's luminance", () => {
  // 0.179 is where black and white are as far away (WCAG 2: (L + 0.05) squared is 1.05 times 0.05).
  for (const [colour, words] of [["#ffffff", "#000"], ["#000000", "#fff"], ["#757575", "#fff"], ["#777777", "#000"], ["#ff0000", "#000"], ["#0000ff", "#fff"]])
    assert.equal(textOn(colour!), words, colour);
});

test("rows keep their keys", () => {
  const [a, b, c] = [{ n: 1 }, { n: 2 }, { n: 3 }];
  let now = carried({ items: [] as object[], keys: [], next: 0 }, [a, b, c]);
  const [ka, kb, kc] = now.keys;
  now = carried(now, [c, a, b]);
  assert.deepEqual(now.keys, [kc, ka, kb]);
  const keys = now.keys;
  now = carried(now, [c, { n: 9 }, b]);
  assert.deepEqual(now.keys, [kc, ka, kb]);
  assert.equal(now.keys, keys);
  now = carried(now, [c, b]);
  assert.deepEqual(now.keys, [kc, kb]);
  now = carried(now, [c, b, b]);
  assert.equal(new Set(now.keys).size, 3);
});

test("paths, by the cases that the core is held to", () => {
  for (const [text, keys, json] of cases.paths as [string, Path, string][]) {
    assert.deepEqual(parsePath(text), keys);
    assert.equal(pathText(keys), text);
    assert.equal(pointer(text), json);
  }
  for (const text of cases.wrong) assert.equal(parsePath(text), null, text);
  const document = cases.document as object;
  for (const [text, value] of cases.found as [string, unknown][]) {
    assert.deepEqual(edits.at(document, text), value);
    assert.equal(edits.at(edits.withAt(document, text, "new"), text), "new");
    assert.deepEqual(edits.at(document, text), value);
  }
  for (const text of [...cases.nothing, "a.length"]) assert.equal(edits.at(document, text), undefined, text);
});

test("where a chain lies", () => {
  const deep = "lanes.opacity.layers[2].mask[0].chains[1]";
  assert.deepEqual(edits.parsePlace(`${deep}[3].amount`), { chain: deep, step: 3 });
  assert.deepEqual(edits.outerOf(deep), { chain: "lanes.opacity.layers[2].mask", step: 0 });
  assert.equal(edits.outerOf("signals[1].chain"), null);
  assert.deepEqual([edits.stackOf(deep), edits.layerOf(deep), edits.channelOf("lanes.opacity")], ["lanes.opacity", 2, "opacity"]);
  assert.deepEqual(edits.signalOf("scene.signals[4].layers[0].paint"), { index: 4, shared: true });
  assert.equal(edits.signalOf(deep), null);
});

test("stops stay in order and apart", () => {
  const put = (places: number[], k: number) => {
    const found = edits.orderedStops(places.map((at, n) => ({ at, n })), k);
    return [found.stops.map(({ at }) => at), found.stops.map(({ n }) => n), found.index];
  };
  assert.deepEqual(put([0, 0.8, 0.5, 1], 1), [[0, 0.5, 0.8, 1], [0, 2, 1, 3], 2]);
  assert.deepEqual(put([0, 0.5, 0.5, 1], 1), [[0, 0.5, 0.5005, 1], [0, 1, 2, 3], 1]);
  assert.deepEqual(put([0, 0.5, 1.4], 2), [[0, 0.5, 1], [0, 1, 2], 2]);
  assert.deepEqual(put([-0.2, 0.5, 1], 0), [[0, 0.5, 1], [0, 1, 2], 0]);
});

test("a scene's own names, looks and lists", () => {
  assert.equal(edits.free("Seeds", ["Seeds", "Seeds 2"], " "), "Seeds 3");
  assert.deepEqual(edits.moved(["a", "b", "c", "d"], 0, 2), ["b", "c", "a", "d"]);
  const look = { lanes: {}, signals: [] } as unknown as Look;
  const scene = {
    signals: [], looks: [{ name: "Shared", look }],
    populations: [{ id: "own", wears: null, look }, { id: "dressed", wears: "Shared", look }],
  } as unknown as Scene;
  const layers = [{ name: "L", paint: [] as Step[] }] as unknown as Parameters<typeof edits.withLayers>[1];
  const dressed = edits.withLook(scene, "dressed", (l) => edits.withLayers(l, layers));
  assert.equal(edits.layersOf(dressed.looks[0]!.look)[0]!.name, "L");
  assert.equal(dressed.populations, scene.populations);
  const own = edits.withLook(scene, "own", (l) => edits.withLayers(l, layers));
  assert.equal(edits.layersOf(own.populations[0]!.look).length, 1);
  assert.equal(own.looks, scene.looks);
});

test("JSON Patch (RFC 6902, appendix A)", () => {
  const table: [object, object[], object][] = [
    [{ foo: "bar" }, [{ op: "add", path: "/baz", value: "qux" }], { foo: "bar", baz: "qux" }],
    [{ foo: ["bar", "baz"] }, [{ op: "add", path: "/foo/1", value: "qux" }], { foo: ["bar", "qux", "baz"] }],
    [{ foo: ["bar"] }, [{ op: "add", path: "/foo/-", value: ["abc", "def"] }], { foo: ["bar", ["abc", "def"]] }],
    [{ baz: "qux", foo: "bar" }, [{ op: "remove", path: "/baz" }], { foo: "bar" }],
    [{ foo: ["bar", "qux", "baz"] }, [{ op: "remove", path: "/foo/1" }], { foo: ["bar", "baz"] }],
    [{ baz: "qux", foo: "bar" }, [{ op: "replace", path: "/baz", value: "boo" }], { baz: "boo", foo: "bar" }],
  ];
  for (const [before, operations, after] of table) assert.deepEqual(edits.patched(before, operations as Parameters<typeof edits.patched>[1]), after);
});
