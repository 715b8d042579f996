/** "4 May 2026" of a stamp, where the reader is. */
export const day = (stamp: string) =>
  new Date(stamp).toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric" });

/** "4 May 2026, 18:30 to 20:00", the second day where it is another. */
export function span(from: string, to: string) {
  const time = new Date(to).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  const same = new Date(from).toDateString() === new Date(to).toDateString();
  return `${moment(from)} to ${same ? time : moment(to)}`;
}

/** What a field for a day and a time holds, where the reader is. */
export function dayAndTime(at: Date) {
  const two = (n: number) => String(n).padStart(2, "0");
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}T${two(at.getHours())}:${two(at.getMinutes())}`;
}

/** "4 May 2026, 18:30" of a stamp, where the reader is. */
export const moment = (stamp: string) =>
  new Date(stamp).toLocaleString("en-GB", {
    day: "numeric",
    month: "short",
    year: "numeric",
    hour: "2-digit",
    minute: "2-digit",
  });
