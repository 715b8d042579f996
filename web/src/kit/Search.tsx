import Autocomplete from "@mui/material/Autocomplete";
import InputBase from "@mui/material/InputBase";

interface Props<T> {
  label: string;
  placeholder: string;
  options: readonly T[];
  busy: boolean;
  keyOf: (option: T) => string;
  sayOf: (option: T) => string;
  /** What is typed: the server looks for it. */
  onText: (text: string) => void;
  onChoose: (option: T) => void;
}

/** A chooser among more than a list can hold: what is typed is looked for by the server. */
export const Search = <T,>({
  label,
  placeholder,
  options,
  busy,
  keyOf,
  sayOf,
  onText,
  onChoose,
}: Props<T>) => (
  <Autocomplete
    sx={{ width: 420, maxWidth: "100%" }}
    value={null}
    options={options}
    loading={busy}
    loadingText="Looking …"
    noOptionsText="Nothing says that"
    filterOptions={(all) => all}
    getOptionKey={keyOf}
    getOptionLabel={sayOf}
    onInputChange={(_, text, reason) => reason !== "reset" && onText(text)}
    onChange={(_, option) => {
      if (option) onChoose(option);
      onText("");
    }}
    blurOnSelect
    clearOnBlur
    renderInput={({ slotProps }) => (
      <InputBase
        ref={slotProps.input.ref}
        fullWidth
        slotProps={{ input: { ...slotProps.htmlInput, "aria-label": label, placeholder } }}
      />
    )}
  />
);
