import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import type { Job } from "../api/client";
import { useCancelJob } from "../api/queries";

/** A job behind what is shown: how far it is, and a way to end it; `ended` says what is left where it was cancelled. */
export function JobProgress({ job, ended, again }: { job: Job; ended: string; again?: () => void }) {
  const cancel = useCancelJob();
  if (job.state === "failed" || job.state === "cancelled")
    return (
      <p role="status" className={job.state === "failed" ? "spent" : "faded"}>
        {job.state === "failed" ? job.problem?.detail : `The comparison was cancelled; ${ended}.`}{" "}
        {again && (
          <Button size="small" onClick={again}>
            Begin again
          </Button>
        )}
      </p>
    );
  return (
    <section aria-label="Comparison" role="status" style={{ display: "grid", gap: 8, justifyItems: "start" }}>
      <h3>
        Comparison{" "}
        <span className="faded note-beside">
          {job.message || "waiting for a worker"}
          {job.attempts > 1 && `, attempt ${job.attempts}`}
        </span>
      </h3>
      <LinearProgress
        aria-label="Progress of the comparison"
        sx={{ width: "100%", height: 6 }}
        variant={job.state === "running" ? "determinate" : "indeterminate"}
        value={100 * (job.progress ?? 0)}
      />
      <Button
        size="small"
        disabled={job.cancel_asked || cancel.isPending}
        onClick={() => cancel.mutate(job.id)}
      >
        {job.cancel_asked ? "Ends at its next step" : "Cancel the comparison"}
      </Button>
    </section>
  );
}
