/** A name that can be typed over; it is settled by Enter or on leaving, and Escape takes it back. */
import { useState } from "react";

interface Props {
  label: string;
  name: string;
  className?: string;
  /** Renames everywhere; throws an error with a sentence where the name cannot be taken. */
  onRename: (wanted: string) => Promise<void>;
}

export function NameField({ label, name, className = "", onRename }: Props) {
  const [text, setText] = useState<string | null>(null);
  const [wrong, setWrong] = useState("");

  async function settle() {
    const wanted = text?.trim();
    if (!wanted || wanted === name) return setText(null);
    try {
      await onRename(wanted);
      setText(null);
    } catch (error) {
      setWrong((error as Error).message);
    }
  }

  return (
    <span className={`relative min-w-0 grow ${className}`}>
      <input
        className="field w-full"
        aria-label={label}
        aria-invalid={wrong !== ""}
        value={text ?? name}
        onChange={(e) => {
          setText(e.target.value);
          setWrong("");
        }}
        onBlur={() => void settle()}
        onKeyDown={(e) => {
          if (e.key === "Enter") void settle();
          if (e.key === "Escape") {
            setText(null);
            setWrong("");
          }
        }}
      />
      {wrong && (
        <span role="alert" className="absolute top-full left-0 z-20 mt-1 w-max max-w-48 rounded-md border-2 border-ink bg-panel px-2 py-1 font-medium">
          {wrong}
        </span>
      )}
    </span>
  );
}
