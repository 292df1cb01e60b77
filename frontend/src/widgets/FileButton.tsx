/** A button that opens the file dialogue and hands over one file. */
import { FileUp } from "lucide-react";
import { useRef } from "react";
import { Button } from "./Button";

interface Props {
  label: string;
  /** Accessible name of the hidden input. */
  name: string;
  accept: string;
  strong?: boolean;
  onFile: (file: File) => void;
}

export function FileButton({ label, name, accept, strong, onFile }: Props) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button strong={strong} onClick={() => input.current?.click()}>
        <FileUp size={14} aria-hidden />
        {label}
      </Button>
      <input
        ref={input}
        type="file"
        accept={accept}
        className="sr-only"
        tabIndex={-1}
        aria-label={name}
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = "";
          if (file) onFile(file);
        }}
      />
    </>
  );
}
