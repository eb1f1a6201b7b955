import { type ReactNode, useState } from "react";

export interface Column<T> {
  title: string;
  /** What the column sorts by and what leaves as CSV. */
  value: (row: T) => string | number;
  /** What is shown, if not the value. */
  show?: (row: T) => ReactNode;
  right?: boolean;
  wide?: boolean;
  /** Of a table that somebody else sorts: what this column is called there; absent: it is not sorted by it. */
  order?: string;
}

/** An order that somebody else brings rows into, as the service does where there are many. */
export interface Order {
  by: string;
  down: boolean;
  set: (by: string, down: boolean) => void;
}

const quoted = (v: string | number) =>
  /[",\n]/.test(String(v)) ? `"${String(v).replaceAll('"', '""')}"` : String(v);

/** Rows that a table shows before it is asked for more. */
const mostRows = 200;

type Sorted = { down: boolean } | false | null | undefined;

const ariaSort = (s: Sorted) => (s ? (s.down ? "descending" : "ascending") : "none");
const arrow = (s: Sorted) => (s ? (s.down ? " ↓" : " ↑") : "");

/** A table that sorts by its headings and leaves as CSV. */
export function DataTable<T>({
  rows,
  columns,
  name,
  rowKey,
  chosen,
  order,
}: {
  rows: T[];
  order?: Order;
  columns: Column<T>[];
  name: string;
  rowKey: (row: T) => string;
  /** The row that is marked. */
  chosen?: (row: T) => boolean;
}) {
  const [most, setMost] = useState(mostRows);
  const [sort, setSort] = useState<{ at: number; down: boolean } | null>(null);
  const column = sort && !order ? columns[sort.at] : undefined;
  const sorted = (c: Column<T>, i: number) =>
    order ? order.by === c.order && order : sort?.at === i && sort;
  const press = (c: Column<T>, i: number) => {
    const now = sorted(c, i);
    const down = now ? !now.down : Boolean(c.right);
    if (order) order.set(c.order ?? "", down);
    else setSort({ at: i, down });
  };
  const shown = column
    ? [...rows].sort((a, b) => {
        const [x, y] = [column.value(a), column.value(b)];
        const c = typeof x === "number" && typeof y === "number" ? x - y : String(x).localeCompare(String(y));
        return sort?.down ? -c : c;
      })
    : rows;
  const save = () => {
    const told = columns.filter((c) => c.title !== ""); // the others are for what can be done with a row
    const text = [told.map((c) => quoted(c.title)), ...shown.map((r) => told.map((c) => quoted(c.value(r))))]
      .map((line) => line.join(","))
      .join("\n");
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([`${text}\n`], { type: "text/csv" }));
    link.download = `${name}.csv`;
    link.click();
    URL.revokeObjectURL(link.href);
  };
  return (
    <div>
      <div className="overflow-x-auto">
        <table className="table table-sm">
          <thead className="text-base-content">
            <tr>
              {columns.map((c, i) =>
                c.title === "" ? (
                  <td key="" />
                ) : (
                  <th
                    key={c.title}
                    className={`whitespace-nowrap px-2 ${c.right ? "text-right" : ""}`}
                    aria-sort={ariaSort(sorted(c, i))}
                  >
                    {order && !c.order ? (
                      <span className="font-medium">{c.title}</span>
                    ) : (
                      <button
                        type="button"
                        className="cursor-pointer font-medium hover:underline"
                        onClick={() => press(c, i)}
                      >
                        {c.title}
                        {arrow(sorted(c, i))}
                      </button>
                    )}
                  </th>
                ),
              )}
            </tr>
          </thead>
          <tbody>
            {shown.slice(0, most).map((r) => (
              <tr
                key={rowKey(r)}
                className={`text-[0.86rem] ${chosen?.(r) ? "bg-base-200 font-medium" : ""}`}
                aria-current={chosen?.(r) || undefined}
              >
                {columns.map((c) => (
                  <td
                    key={c.title}
                    className={`px-2 ${c.right ? "whitespace-nowrap text-right tabular-nums" : ""} ${c.wide ? "w-1/3 min-w-40" : ""}`}
                  >
                    {c.show ? c.show(r) : c.value(r)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {shown.length > most && (
        <button type="button" className="btn btn-sm mt-2 mr-4" onClick={() => setMost((n) => n + mostRows)}>
          {Math.min(mostRows, shown.length - most)} more of {shown.length}
        </button>
      )}
      <button type="button" className="link mt-1 text-xs opacity-80" onClick={save}>
        Save as CSV
      </button>
    </div>
  );
}
