/// <reference types="node" />
/** A server of the tests: what the page sends to it, answered by the test when it likes. */
import { mock } from "node:test";

export interface Asked {
  method: string;
  path: string;
  body: any; // oxlint-disable-line no-explicit-any
  answer: (status: number, body?: unknown) => void;
  /** Answered with the bytes of binary messages, one after the other; `more` says whether others follow. */
  send: (header: object, more?: boolean) => void;
  fail: () => void;
}

/** Take the place of the network; gives what was asked and not yet answered, in order. */
export function server(): Asked[] {
  const asked: Asked[] = [];
  mock.method(globalThis, "fetch", (path: string, init: RequestInit = {}) => {
    return new Promise<Response>((resolve, reject) => {
      let stream: ReadableStreamDefaultController | null = null;
      asked.push({
        method: init.method ?? "GET",
        path: String(path).replace(/^\/api/, ""),
        body: init.body ? JSON.parse(String(init.body)) : null,
        answer: (status, body = {}) => resolve(new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } })),
        send: (header, more = false) => {
          if (!stream) resolve(new Response(new ReadableStream({ start: (controller) => void (stream = controller) })));
          stream!.enqueue(packed(header));
          if (!more) stream!.close();
        },
        fail: () => reject(new TypeError("no network")),
      });
    });
  });
  return asked;
}

/** A message without arrays, as web/binary.py lays it out. */
function packed(header: object): Uint8Array {
  let text = JSON.stringify({ ...header, arrays: [], size: 0 });
  while (text.length % 8) text += " ";
  const bytes = new Uint8Array(8 + text.length);
  bytes.set(new TextEncoder().encode("GSB1"));
  new DataView(bytes.buffer).setUint32(4, text.length, true);
  bytes.set(new TextEncoder().encode(text), 8);
  return bytes;
}

/** Let everything that waits for nothing but its turn go on. */
export async function turns(): Promise<void> {
  for (let k = 0; k < 40; k++) await Promise.resolve();
  await new Promise((resolve) => setImmediate(resolve));
  for (let k = 0; k < 40; k++) await Promise.resolve();
}
