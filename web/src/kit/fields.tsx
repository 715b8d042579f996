import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import FormHelperText from "@mui/material/FormHelperText";
import InputBase from "@mui/material/InputBase";
import NativeSelect from "@mui/material/NativeSelect";
import { type SxProps, styled, type Theme } from "@mui/material/styles";
import type { InputHTMLAttributes, ReactNode, Ref, SelectHTMLAttributes } from "react";
import { colour } from "./palette";

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
export const Choice = ({
  sx,
  ref,
  children,
  ...select
}: SelectHTMLAttributes<HTMLSelectElement> & Sx & { ref?: Ref<HTMLSelectElement> }) => (
  <NativeSelect {...(sx && { sx })} {...(ref && { inputRef: ref })} input={<InputBase />} inputProps={select}>
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

/** A box to tick in each of many rows: the system's own, whose drawing costs a scrolling list far less. */
export const RowTick = styled((props: InputHTMLAttributes<HTMLInputElement>) => (
  <input type="checkbox" {...props} />
))({ width: 16, height: 16, margin: 4, accentColor: colour.ink, verticalAlign: "middle" });

const Labelled = styled("label")({
  display: "grid",
  minWidth: 0,
  gap: 3,
  alignContent: "start",
  fontSize: 13,
  "& > .MuiInputBase-root": { width: "100%" },
});

const Under = styled("div")({ display: "grid", minWidth: 0, gap: 3, alignContent: "start" });

interface FieldProps {
  label: string;
  hint?: ReactNode;
  /** By which the control names the hint as its description. */
  hintId?: string;
  /** What is wrong with it, in the hint's place. */
  fault?: ReactNode;
  children: ReactNode;
}

/** A labelled control with a word of help under it. */
export const Field = ({ label, hint, hintId, fault, children }: FieldProps) => (
  <Under>
    <Labelled>
      <span>{label}</span>
      {children}
    </Labelled>
    {fault ||
      (hint && (
        <FormHelperText component="small" {...(hintId && { id: hintId })}>
          {hint}
        </FormHelperText>
      ))}
  </Under>
);
