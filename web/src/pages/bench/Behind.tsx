import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import type { Schemas } from "../../api/client";
import { useCancelJob } from "../../api/queries";

/** The job that compares a delivered recording: how far it is, and a way to end it. */
export function Behind({ recording, job }: { recording: string; job: Schemas["Job"] }) {
  const cancel = useCancelJob(recording);
  if (job.state === "failed" || job.state === "cancelled")
    return (
      <p role="status" className={job.state === "failed" ? "spent" : "faded"}>
        {job.state === "failed" ? job.problem?.detail : "The comparison was cancelled; the runs are kept."}
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
