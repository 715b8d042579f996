import Tooltip from "@mui/material/Tooltip";
import type { ReactNode } from "react";

/** A figure's name that explains itself on hover or focus. */
export const Explained = ({ definition, children }: { definition: string; children: ReactNode }) => (
  <Tooltip title={definition} describeChild>
    <span tabIndex={0}>{children}</span>
  </Tooltip>
);
