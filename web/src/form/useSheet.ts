import { type BaseSyntheticEvent, useEffect, useRef, useState } from "react";
import {
  type DefaultValues,
  type FieldPath,
  type FieldValues,
  type UseFormReturn,
  useForm,
} from "react-hook-form";
import { Problem } from "../api/client";
import { dropDraft, holds, keepDraft, readDraft } from "./drafts";

interface Asked<V extends FieldValues, A> {
  /** What stands in it at first. */
  values: V;
  send: (values: V) => Promise<A>;
  sent?: (answer: A) => void;
  /** The name under which what is written is kept until it is sent. */
  draft?: string;
  /** The field that a place of what was sent is written in; "" where there is none. */
  place?: (at: string) => string;
}

export interface Sheet<V extends FieldValues> extends UseFormReturn<V> {
  submit: (event?: BaseSyntheticEvent) => Promise<void>;
  sending: boolean;
  /** What the server said that belongs to no field. */
  said: string;
  /** When the draft was written that was taken up; "" where none was. */
  takenUp: string;
  /** As it was at first; the draft goes. */
  anew: () => void;
  /** Holds it something that would be lost without its draft? */
  unsent: boolean;
}

/** A form: its values with the schema's types, checked as one types, kept as a draft, sent once, refused at its fields. */
export function useSheet<V extends FieldValues, A = unknown>({
  values,
  send,
  sent,
  draft,
  place = (at) => at,
}: Asked<V, A>): Sheet<V> {
  const form = useForm<V>({ defaultValues: values as DefaultValues<V>, mode: "onChange" });
  const [said, setSaid] = useState("");
  const [takenUp, setTakenUp] = useState("");
  const { reset, subscribe, getValues, formState } = form;
  const { isDirty, isSubmitting } = formState;

  useEffect(() => {
    const kept = draft === undefined ? undefined : readDraft(draft);
    if (!kept) return;
    reset({ ...getValues(), ...(kept.values as V) }, { keepDefaultValues: true });
    setTakenUp(kept.at);
  }, [draft, reset, getValues]);

  useEffect(() => {
    if (draft === undefined) return;
    return subscribe({
      formState: { values: true, isDirty: true },
      callback: (now) => {
        // Of a field that changed; putting the form back as it was changes none.
        if (now.name !== undefined && now.isDirty) keepDraft(draft, now.values);
      },
    });
  }, [draft, subscribe]);

  const anew = () => {
    reset(values);
    if (draft !== undefined) dropDraft(draft);
    setTakenUp("");
    setSaid("");
  };

  // Leaving asks where something is held; what to throw away then is this form's draft.
  const release = useRef(() => {});
  useEffect(() => {
    if (!isDirty || draft === undefined) return;
    release.current = holds({ drop: () => dropDraft(draft) });
    return release.current;
  }, [isDirty, draft]);

  const refuse = (error: unknown) => {
    const places = error instanceof Problem ? error.places : [];
    let found = 0;
    for (const fault of places) {
      const field = place(fault.at);
      if (!field || getValues(field as FieldPath<V>) === undefined) continue;
      form.setError(
        field as FieldPath<V>,
        { type: "server", message: fault.said },
        { shouldFocus: found === 0 },
      );
      found += 1;
    }
    if (found === 0 || found < places.length) setSaid(error instanceof Error ? error.message : String(error));
  };

  const submit = form.handleSubmit(async (written) => {
    setSaid("");
    try {
      const answer = await send(written);
      reset(written);
      if (draft !== undefined) dropDraft(draft);
      release.current(); // at once: what follows may leave the page
      sent?.(answer);
    } catch (error) {
      refuse(error);
    }
  });

  return { ...form, submit, sending: isSubmitting, said, takenUp, anew, unsent: isDirty };
}
