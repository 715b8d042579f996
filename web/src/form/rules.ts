/** What a field must be, said beside it. An empty field that is not required is right. */

export const required = { required: "This is needed." } as const;

export const text = (most: number) => ({
  maxLength: { value: most, message: `At most ${most.toLocaleString("en-GB")} characters.` },
});

interface Bounds {
  least?: number;
  most?: number;
  whole?: boolean;
}

/** A number as one writes it; its words where it is none or out of its bounds. */
export function amountFault(written: string, { least, most, whole }: Bounds = {}): string | true {
  if (written.trim() === "") return true;
  const value = Number(written);
  if (!Number.isFinite(value)) return "This is no number.";
  if (whole && !Number.isInteger(value)) return "A whole number is wanted.";
  if (least !== undefined && value < least) return `At least ${least}.`;
  if (most !== undefined && value > most) return `At most ${most.toLocaleString("en-GB")}.`;
  return true;
}

export const amount = (bounds: Bounds = {}) => ({
  validate: (written: unknown) => amountFault(String(written ?? ""), bounds),
});

/** A page that any browser can open. */
export const address = {
  validate: (written: unknown) =>
    /^https?:\/\/[^\s#]+$/.test(String(written ?? "").trim()) ||
    "An address that begins with http:// or https://, without a # part.",
} as const;

/** Numbers with commas between. */
export const amounts = () => ({
  validate: (written: unknown) =>
    String(written ?? "")
      .split(",")
      .filter((part) => part.trim() !== "")
      .map((part) => amountFault(part))
      .find((fault) => fault !== true) ?? true,
});
