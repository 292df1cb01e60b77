/** A name that is being typed over: Enter or leaving it takes the new one, Escape the old. */
interface Props {
  label: string;
  name: string;
  className?: string;
  /** With the new name; null where it stays. */
  onDone: (name: string | null) => void;
}

export function Renaming({ label, name, className = "", onDone }: Props) {
  const taken = (text: string) => onDone(text.trim() && text.trim() !== name ? text.trim().slice(0, 100) : null);
  return (
    <input
      autoFocus
      className={`field ${className}`}
      aria-label={label}
      defaultValue={name}
      maxLength={100}
      onFocus={(e) => e.target.select()}
      onBlur={(e) => taken(e.target.value)}
      onKeyDown={(e) => {
        if (e.key === "Enter") taken(e.currentTarget.value);
        if (e.key === "Escape") onDone(null);
      }}
    />
  );
}
