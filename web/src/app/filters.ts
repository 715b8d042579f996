import { useSearchParams } from "react-router";

/** Filters of a list, kept in the address: what they are, and how one is set ("" takes it away). */
export function useFilters<Name extends string>(names: readonly Name[]) {
  const [search, setSearch] = useSearchParams();
  const filters = Object.fromEntries(names.map((name) => [name, search.get(name) ?? ""])) as Record<
    Name,
    string
  >;
  const set = (name: Name, value: string) => {
    const next = new URLSearchParams(search);
    if (value) next.set(name, value);
    else next.delete(name);
    setSearch(next, { replace: true });
  };
  const clear = () => {
    const next = new URLSearchParams(search);
    for (const name of names) next.delete(name);
    setSearch(next, { replace: true });
  };
  return { filters, set, clear, any: names.some((name) => filters[name] !== "") };
}
