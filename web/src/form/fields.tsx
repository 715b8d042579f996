import FormHelperText from "@mui/material/FormHelperText";
import type { SxProps, Theme } from "@mui/material/styles";
import { type InputHTMLAttributes, type ReactNode, useId, useState } from "react";
import {
  type Control,
  type FieldPath,
  type FieldValues,
  type RegisterOptions,
  useController,
} from "react-hook-form";
import { moment } from "../app/days";
import { Choice, Field, Text, TextButton, TextInput, Tick, Unseen } from "../kit";
import type { Sheet } from "./useSheet";

interface Of<V extends FieldValues> {
  of: { control: Control<V> };
  name: FieldPath<V>;
  rules?: Omit<RegisterOptions<V, FieldPath<V>>, "valueAsNumber" | "valueAsDate" | "setValueAs" | "disabled">;
  hint?: ReactNode;
}

type WrittenProps<V extends FieldValues> = Of<V> &
  Omit<InputHTMLAttributes<HTMLInputElement>, "name" | "value" | "onChange" | "onBlur"> & {
    label: string;
    /** In a table: its label is for the ear alone. */
    bare?: boolean;
    lines?: number;
    sx?: SxProps<Theme>;
  };

/** What is wrong with a field, under it. */
const Fault = ({ id, children }: { id: string; children: ReactNode }) => (
  <FormHelperText id={id} error component="small" role="alert">
    {children}
  </FormHelperText>
);

/** A field's state as its control tells it to eye and ear. */
function useField<V extends FieldValues>({ of, name, rules, hint }: Of<V>) {
  const { field, fieldState } = useController({ control: of.control, name, ...(rules && { rules }) });
  const id = useId();
  const message = fieldState.error?.message;
  const described = message !== undefined || Boolean(hint);
  return {
    field,
    control: {
      name: field.name,
      ref: field.ref,
      value: field.value ?? "",
      onBlur: field.onBlur,
      "aria-invalid": message !== undefined,
      ...(described && { "aria-describedby": id }),
    },
    under: { hint, hintId: id, fault: message !== undefined && <Fault id={id}>{message}</Fault> },
  };
}

/** A field one writes in; what is wrong with it stands under it. */
export function Written<V extends FieldValues>({
  of,
  name,
  rules,
  label,
  hint,
  bare,
  ...input
}: WrittenProps<V>) {
  const { field, control, under } = useField({ of, name, ...(rules && { rules }), hint });
  const box = (
    <TextInput {...input} {...control} onChange={field.onChange} {...(bare && { "aria-label": label })} />
  );
  return bare ? (
    <>
      {box}
      {under.fault}
    </>
  ) : (
    <Field label={label} {...under}>
      {box}
    </Field>
  );
}

/** A password, which one can look at while one types it. */
export function Secret<V extends FieldValues>(field: Omit<WrittenProps<V>, "type" | "bare" | "lines">) {
  const [shown, setShown] = useState(false);
  return (
    <div>
      <Written {...field} type={shown ? "text" : "password"} spellCheck={false} autoCapitalize="none" />
      <TextButton small faded onClick={() => setShown(!shown)} sx={{ marginTop: 2 }}>
        {shown ? "hide it" : "show it"}
        <Unseen>{field.label}</Unseen>
      </TextButton>
    </div>
  );
}

/** One of a few. */
export function Chosen<V extends FieldValues>({
  of,
  name,
  rules,
  label,
  hint,
  children,
  onChosen,
}: Of<V> & { label: string; children: ReactNode; onChosen?: (value: string) => void }) {
  const { field, control, under } = useField({ of, name, ...(rules && { rules }), hint });
  return (
    <Field label={label} {...under}>
      <Choice
        {...control}
        onChange={(event) => {
          field.onChange(event);
          onChosen?.(event.target.value);
        }}
      >
        {children}
      </Choice>
    </Field>
  );
}

/** Ticked or not. */
export function Ticked<V extends FieldValues>({
  of,
  name,
  label,
  inverse,
}: Of<V> & { label: ReactNode; inverse?: boolean }) {
  const { field } = useController({ control: of.control, name });
  return (
    <Tick
      label={label}
      checked={Boolean(field.value) !== Boolean(inverse)}
      onChange={(event) => field.onChange(event.target.checked !== Boolean(inverse))}
      onBlur={field.onBlur}
    />
  );
}

/** What belongs to no field: the draft that was taken up, what the server said. */
export function Said<V extends FieldValues>({ of }: { of: Sheet<V> }) {
  return (
    <>
      {of.takenUp && (
        <Text size={13} tone="faded">
          As you left it on {moment(of.takenUp)}.{" "}
          <TextButton small onClick={of.anew}>
            Begin anew
          </TextButton>
        </Text>
      )}
      {of.said && (
        <Text role="alert" tone="spent">
          {of.said}
        </Text>
      )}
    </>
  );
}
