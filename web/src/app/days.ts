/** "4 May 2026" of a stamp, where the reader is. */
export const day = (stamp: string) =>
  new Date(stamp).toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric" });

/** "4 May 2026, 18:30" of a stamp, where the reader is. */
export const moment = (stamp: string) =>
  new Date(stamp).toLocaleString("en-GB", {
    day: "numeric",
    month: "short",
    year: "numeric",
    hour: "2-digit",
    minute: "2-digit",
  });
