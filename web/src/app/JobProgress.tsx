import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import type { Job } from "../api/client";
import { useCancelJob } from "../api/queries";
import { Box, Text } from "../kit";

/** A job behind what is shown: how far it is, and a way to end it; `ended` says what is left where it was cancelled. */
export function JobProgress({
  job,
  ended,
  what = "Comparison",
  again,
}: {
  job: Job;
  ended: string;
  what?: string;
  again?: () => void;
}) {
  const cancel = useCancelJob();
  if (job.state === "failed" || job.state === "cancelled")
    return (
      <Text role="status" tone={job.state === "failed" ? "spent" : "faded"}>
        {job.state === "failed" ? job.problem?.detail : `${what} was cancelled; ${ended}.`}{" "}
        {again && (
          <Button size="small" onClick={again}>
            Begin again
          </Button>
        )}
      </Text>
    );
  return (
    <Box
      component="section"
      aria-label={what}
      role="status"
      sx={{ display: "grid", gap: 8, justifyItems: "start" }}
    >
      <h2>
        {what}{" "}
        <Text as="span" tone="faded" aside>
          {job.message || "waiting for a worker"}
          {job.attempts > 1 && `, attempt ${job.attempts}`}
        </Text>
      </h2>
      <LinearProgress
        aria-label={`How far: ${what}`}
        sx={{ width: "100%", height: 6 }}
        variant={job.state === "running" ? "determinate" : "indeterminate"}
        value={100 * (job.progress ?? 0)}
      />
      <Button
        size="small"
        disabled={job.cancel_asked || cancel.isPending}
        onClick={() => cancel.mutate(job.id)}
      >
        {job.cancel_asked ? "Ends at its next step" : "Cancel it"}
      </Button>
    </Box>
  );
}
