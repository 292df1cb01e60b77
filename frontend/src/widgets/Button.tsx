import type { ButtonHTMLAttributes } from "react";

type Props = ButtonHTMLAttributes<HTMLButtonElement>;

export function Button({ strong, className = "", ...rest }: Props & { strong?: boolean }) {
  return <button type="button" className={`button ${strong ? "button-strong" : ""} ${className}`} {...rest} />;
}

/** A button that shows an icon; its label is its accessible name and its tip. */
export function IconButton({ label, className = "", ...rest }: Props & { label: string }) {
  return <button type="button" title={label} aria-label={label} className={`icon-button ${className}`} {...rest} />;
}
