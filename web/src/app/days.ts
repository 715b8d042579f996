/** "4 May 2026" of a stamp, in UTC as everything here. */
export const day = (stamp: string) =>
  new Date(stamp).toLocaleDateString("en-GB", {
    day: "numeric",
    month: "long",
    year: "numeric",
    timeZone: "UTC",
  });

/** "4 May, 18:30" of a stamp, in UTC. */
export const moment = (stamp: string) =>
  new Date(stamp).toLocaleString("en-GB", {
    day: "numeric",
    month: "short",
    hour: "2-digit",
    minute: "2-digit",
    timeZone: "UTC",
  });
