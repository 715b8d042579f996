import { useParams } from "react-router";
import { useSession } from "../api/queries";

/** What one may do in the open book: what one may not is not offered. */
export function useMay() {
  const { book = "" } = useParams();
  const role = useSession().data?.books.find((b) => b.slug === book)?.role;
  return { write: role === "editor" || role === "owner", own: role === "owner" };
}
