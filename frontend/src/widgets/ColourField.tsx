/** A colour: a hex field, a picker, and the colours used lately. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { Monitor, Pipette } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { json } from "../api/client";
import { HexColorPicker } from "react-colorful";
import { NONE, rememberColour, useStore } from "../state/store";

interface Props {
  label: string;
  value: string;
  /** Only the swatch; the hexadecimal field is in the picker. */
  bare?: boolean;
  onDraft: (colour: string) => void;
  onCommit: (colour: string) => void;
}

/** #rrggbb of what was typed (with or without #, three or six digits), or null. */
export function hexOf(text: string): string | null {
  const digits = text.trim().replace(/^#/, "").toLowerCase();
  if (/^[0-9a-f]{6}$/.test(digits)) return `#${digits}`;
  if (/^[0-9a-f]{3}$/.test(digits)) return `#${[...digits].map((d) => d + d).join("")}`;
  return null;
}

/** Where the browser can pick from the screen. */
const Dropper = (window as unknown as { EyeDropper?: new () => { open: () => Promise<{ sRGBHex: string }> } }).EyeDropper;

/** The tints and shades of a colour in a row, as the core gives them. */
function Tints({ colour, onTake }: { colour: string; onTake: (colour: string) => void }) {
  const [tints, setTints] = useState<string[]>([]);
  useEffect(() => {
    let current = true;
    // Not while it is dragged through a hundred others.
    const soon = setTimeout(() => void json<{ colours: string[] }>("POST", "/tints", { colour }).then(({ colours }) => current && setTints(colours), () => undefined), 120);
    return () => {
      current = false;
      clearTimeout(soon);
    };
  }, [colour]);
  return (
    <div role="group" aria-label="Tints and shades" className="mt-2 flex h-5 overflow-hidden rounded border border-line">
      {tints.map((tint, k) => (
        <button key={k} type="button" aria-label={`Take ${tint}`} title={tint} className="grow cursor-pointer" style={{ background: tint }} onClick={() => onTake(tint)} />
      ))}
    </div>
  );
}

export function ColourField({ label, value, bare, onDraft, onCommit }: Props) {
  const [text, setText] = useState<string | null>(null);
  const recent = useStore((s) => s.scene?.recent_colours ?? NONE);
  const drafted = useRef<string | null>(null);
  const wrong = text !== null && hexOf(text) === null;

  function settle() {
    if (text === null) return;
    const found = hexOf(text);
    if (!found) return;
    setText(null);
    if (found !== value) commit(found);
  }

  function commit(colour: string) {
    drafted.current = null;
    rememberColour(colour);
    onCommit(colour);
  }

  // A drag in the picker is one edit: it is saved when the pointer or key is let go.
  useEffect(() => {
    const release = () => {
      if (drafted.current) commit(drafted.current);
    };
    window.addEventListener("pointerup", release);
    window.addEventListener("keyup", release);
    return () => {
      window.removeEventListener("pointerup", release);
      window.removeEventListener("keyup", release);
    };
  });

  const field = (
    <input
      className="field w-[76px]"
      aria-label={`${label} as hexadecimal`}
      aria-invalid={wrong}
      title={wrong ? "Write six hexadecimal digits, such as #d8452f" : undefined}
      spellCheck={false}
      value={text ?? value}
      onChange={(e) => setText(e.target.value)}
      onFocus={(e) => e.target.select()}
      onBlur={settle}
      onKeyDown={(e) => {
        if (e.key === "Enter") settle();
        if (e.key === "Escape") setText(null);
      }}
    />
  );
  return (
    <span className="inline-flex items-center gap-1.5">
      <Popover className="contents">
        <PopoverButton
          aria-label={`${label}: ${value}. Open the picker`}
          className="size-6.5 flex-none cursor-pointer rounded-md border border-line shadow-[inset_0_0_0_1px_rgb(255_255_255/0.35)]"
          style={{ background: value }}
        />
        <PopoverPanel anchor={{ to: "bottom start", gap: 6 }} className="panel z-40 w-56 p-2.5 shadow-xl outline-none">
          {bare && <span className="mb-2 flex items-center justify-between text-soft">Hexadecimal {field}</span>}
          <HexColorPicker
            color={value}
            style={{ width: "100%", height: 150 }}
            onChange={(colour) => {
              if (colour === value) return;
              drafted.current = colour;
              onDraft(colour);
            }}
          />
          <Tints colour={value} onTake={commit} />
          <button type="button" className="button mt-2.5 w-full" onClick={() => useStore.setState({ picking: commit })}>
            <Pipette size={13} aria-hidden />
            Take from an element of the view
          </button>
          {Dropper && (
            <button type="button" className="button mt-1.5 w-full" onClick={() => void new Dropper().open().then(({ sRGBHex }) => commit(sRGBHex.toLowerCase()), () => undefined)}>
              <Monitor size={13} aria-hidden />
              Take from anywhere on the screen
            </button>
          )}
          {recent.length > 0 && (
            <div className="mt-2.5">
              <h4 className="heading mb-1">Used lately</h4>
              <div className="flex flex-wrap gap-1">
                {recent.map((colour) => (
                  <button
                    key={colour}
                    type="button"
                    aria-label={`Take ${colour}`}
                    title={colour}
                    className="size-5 cursor-pointer rounded border border-line"
                    style={{ background: colour }}
                    onClick={() => commit(colour)}
                  />
                ))}
              </div>
            </div>
          )}
        </PopoverPanel>
      </Popover>
      {!bare && field}
    </span>
  );
}
