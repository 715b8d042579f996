import { styled } from "@mui/material/styles";

/** Fields within a sentence. */
export const Sentence = styled("div")({
  fontSize: 13,
  lineHeight: "30px",
  "& .MuiInputBase-root": { verticalAlign: "baseline" },
});
