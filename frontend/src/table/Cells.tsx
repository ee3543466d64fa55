/** Cells of the table: numbers as they are read, groups with their colour. */

import type { Effect } from "@/state/document";
import { plain, short } from "@/ui/numbers";
import type { Tabled } from "./asking";

type Column = Tabled["columns"][number];

/** What a column says of a row of its window. */
export function cellOf(column: Column, row: number): string {
  if (column.fault) return "";
  if (column.type === "vector") {
    const parts = column.values.slice(row * 3, row * 3 + 3);
    return parts.some((part) => part === null) ? "–" : parts.map((part) => short(part!)).join("  ");
  }
  const value = column.values[row];
  if (value === null || value === undefined) return "–";
  return column.type === "flag" ? (value ? "yes" : "no") : plain(value);
}

export const widthOf = (column: Column | undefined): number => (column?.type === "vector" ? 190 : 104);

export function Group({ effect, id }: { effect: Effect; id: string }) {
  const group = effect.groups.find((entry) => entry.id === id);
  return (
    <span className="flex min-w-0 items-center gap-1.5">
      <span className="size-2.5 shrink-0 rounded-full" style={{ background: group?.color ?? "var(--soft)" }} />
      <span className="truncate">{group?.label ?? id}</span>
    </span>
  );
}

/** Two particles beside each other, and what lies between them. */
export function SideBySide({ effect, found }: { effect: Effect; found: Tabled }) {
  const [one, other] = found.ids;
  const between = (column: Column): string => {
    if (column.fault || column.type !== "number") return "";
    const [first, second] = column.values;
    return typeof first === "number" && typeof second === "number" ? plain(second - first) : "";
  };
  return (
    <table className="tabular w-full text-left text-[12.5px]">
      <thead className="sticky top-0 bg-panel text-soft">
        <tr>
          <th className="px-3 py-1 font-normal">of</th>
          <th className="px-3 py-1 font-normal">particle {one}</th>
          <th className="px-3 py-1 font-normal">particle {other}</th>
          <th className="px-3 py-1 font-normal">between them</th>
        </tr>
      </thead>
      <tbody>
        <tr className="border-t border-line">
          <td className="px-3 py-1 text-soft">group</td>
          <td className="px-3 py-1">{found.groups[0] && <Group effect={effect} id={found.groups[0]} />}</td>
          <td className="px-3 py-1">{found.groups[1] && <Group effect={effect} id={found.groups[1]} />}</td>
          <td />
        </tr>
        {found.columns.map((column, place) => (
          <tr key={place} className="border-t border-line">
            <td className="px-3 py-1 text-soft">{column.text}</td>
            <td className="px-3 py-1">{cellOf(column, 0)}</td>
            <td className="px-3 py-1">{cellOf(column, 1)}</td>
            <td className="px-3 py-1 text-brass">{between(column)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
