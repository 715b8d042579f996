import type { ReactNode } from "react";

/** A labelled control with a word of help under it. */
export const Field = ({ label, hint, children }: { label: string; hint?: string; children: ReactNode }) => (
  // biome-ignore lint/a11y/noLabelWithoutControl: the control is the child
  <label className="field">
    <span>{label}</span>
    {children}
    {hint && <small className="faded">{hint}</small>}
  </label>
);
