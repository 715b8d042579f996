import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import FormHelperText from "@mui/material/FormHelperText";
import InputBase from "@mui/material/InputBase";
import NativeSelect from "@mui/material/NativeSelect";
import { type SxProps, styled, type Theme } from "@mui/material/styles";
import type { InputHTMLAttributes, ReactNode, Ref, SelectHTMLAttributes } from "react";

type Sx = { sx?: SxProps<Theme> };

/** A line, or with `lines` a box of text. The attributes are those of the field itself. */
export const TextInput = ({
  sx,
  ref,
  lines,
  ...input
}: InputHTMLAttributes<HTMLInputElement> & Sx & { ref?: Ref<HTMLInputElement>; lines?: number }) => (
  <InputBase
    {...(sx && { sx })}
    {...(lines ? { multiline: true, minRows: lines } : {})}
    {...(ref && { inputRef: ref })}
    slotProps={{ input }}
  />
);

/** One of a few; the system's own list, which every hand and reader knows. */
export const Choice = ({ sx, children, ...select }: SelectHTMLAttributes<HTMLSelectElement> & Sx) => (
  <NativeSelect {...(sx && { sx })} input={<InputBase />} inputProps={select}>
    {children}
  </NativeSelect>
);

/** A filter: one of the options, or all of them. */
export const OneOf = ({
  label,
  all,
  value,
  options,
  onChoose,
}: {
  label: string;
  all: string;
  value: string;
  options: readonly (readonly [string | number, string])[];
  onChoose: (value: string) => void;
}) => (
  <Choice aria-label={label} value={value} onChange={(e) => onChoose(e.target.value)}>
    <option value="">{all}</option>
    {options.map(([key, said]) => (
      <option key={key} value={key}>
        {said}
      </option>
    ))}
  </Choice>
);

/** A box to tick, with its label or with one of its own (`aria-label`). */
export const Tick = ({
  checked,
  disabled,
  onChange,
  label,
  ...input
}: InputHTMLAttributes<HTMLInputElement> & { label?: ReactNode }) => {
  const box = (
    <Checkbox
      checked={checked ?? false}
      {...(disabled && { disabled })}
      {...(onChange && { onChange })}
      slotProps={{ input }}
    />
  );
  return label === undefined ? box : <FormControlLabel control={box} label={label} />;
};

const Labelled = styled("label")({
  display: "grid",
  minWidth: 0,
  gap: 3,
  alignContent: "start",
  fontSize: 13,
  "& > .MuiInputBase-root": { width: "100%" },
});

/** A labelled control with a word of help under it. */
export const Field = ({ label, hint, children }: { label: string; hint?: string; children: ReactNode }) => (
  <Labelled>
    <span>{label}</span>
    {children}
    {hint && <FormHelperText component="small">{hint}</FormHelperText>}
  </Labelled>
);
