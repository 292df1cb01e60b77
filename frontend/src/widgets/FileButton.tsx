/** A button that opens the file dialogue and hands over one file. */
import { FileUp } from "lucide-react";
import { useRef } from "react";
import { Button, IconButton } from "./Button";

interface Props {
  label: string;
  /** Accessible name of the hidden input. */
  name: string;
  accept: string;
  strong?: boolean;
  /** Shown alone, the label being its accessible name. */
  icon?: React.ReactNode;
  onFile: (file: File) => void;
}

export function FileButton({ label, name, accept, strong, icon, onFile }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const open = () => input.current?.click();
  return (
    <>
      {icon ? (
        <IconButton label={label} onClick={open}>
          {icon}
        </IconButton>
      ) : (
        <Button strong={strong} onClick={open}>
          <FileUp size={14} aria-hidden />
          {label}
        </Button>
      )}
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
