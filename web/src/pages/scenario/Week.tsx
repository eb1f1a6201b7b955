import { type PointerEvent, useRef, useState } from "react";
import { days, type Stretch, stretchesOf, whenOf } from "../../parts/week";

interface Cell {
  day: number;
  hour: number;
}

const left = 30;
const row = 13;
const wide = 14;

/** Parts of the week as they are in force: of several that cover an hour the first counts. Drawing over hours with the
 * mouse adds one; by the keyboard the button below does. */
export function Week({
  entries,
  label,
  add,
}: {
  entries: unknown[];
  label: string;
  add: (when: string) => void;
}) {
  const begun = useRef<Cell | null>(null);
  const [drag, setDrag] = useState<{ a: number; b: number; from: number; to: number } | null>(null);
  const place = useRef<SVGSVGElement>(null);
  const read = entries.map((e) => {
    const when = (e as { when?: unknown }).when;
    return typeof when === "string" ? stretchesOf(when) : null;
  });
  const cell = (e: PointerEvent): Cell | null => {
    const box = place.current?.getBoundingClientRect();
    if (!box) return null;
    const x = ((e.clientX - box.left) / box.width) * (left + 24 * wide) - left;
    const y = ((e.clientY - box.top) / box.height) * (7 * row + 14);
    const hour = Math.floor(x / wide);
    const day = Math.floor(y / row);
    return hour >= 0 && hour < 24 && day >= 0 && day < 7 ? { day, hour } : null;
  };
  const draw = (at: Cell | null) => {
    const from = begun.current;
    if (!from || !at) return;
    setDrag({
      a: Math.min(from.day, at.day),
      b: Math.max(from.day, at.day),
      from: Math.min(from.hour, at.hour),
      to: Math.max(from.hour, at.hour) + 1,
    });
  };
  const end = (made: boolean) => {
    if (made && drag) add(whenOf(drag.a, drag.b, drag.from, drag.to));
    begun.current = null;
    setDrag(null);
  };
  const said = entries
    .map((e, i) => `${i + 1}: ${String((e as { when?: unknown }).when ?? "no part of the week")}`)
    .join("; ");
  return (
    <svg
      ref={place}
      role="img"
      aria-label={`The week of ${label}. ${said || "Nothing differs from the rest of the week."}`}
      viewBox={`0 0 ${left + 24 * wide} ${7 * row + 14}`}
      className="mt-1 w-full max-w-lg touch-none select-none"
      onPointerDown={(e) => {
        const at = cell(e);
        if (!at) return;
        e.currentTarget.setPointerCapture(e.pointerId);
        begun.current = at;
        draw(at);
      }}
      onPointerMove={(e) => begun.current && draw(cell(e))}
      onPointerUp={() => end(true)}
      onPointerCancel={() => end(false)}
    >
      {days.map((d, i) => (
        <g key={d}>
          <text x={0} y={i * row + 10} fontSize="9" fill="currentColor">
            {d}
          </text>
          <rect x={left} y={i * row} width={24 * wide} height={row - 1} fill="var(--color-base-200)" />
        </g>
      ))}
      {read
        .map((list, i) => ({ list: list ?? [], i }))
        .reverse()
        .map(({ list, i }) => (
          <g key={`${i}-${list.length}`}>
            {list.map((s) => (
              <Piece key={`${s.day}-${s.from}`} s={s} i={i} />
            ))}
          </g>
        ))}
      {drag && (
        <rect
          x={left + drag.from * wide}
          y={drag.a * row}
          width={(drag.to - drag.from) * wide}
          height={(drag.b - drag.a + 1) * row - 1}
          fill="none"
          stroke="var(--color-warning)"
          strokeWidth="1.5"
        />
      )}
      {[0, 6, 12, 18, 24].map((h) => (
        <text
          key={h}
          x={left + h * wide}
          y={7 * row + 10}
          fontSize="9"
          fill="currentColor"
          textAnchor={h === 0 ? "start" : h === 24 ? "end" : "middle"}
        >
          {String(h).padStart(2, "0")}:00
        </text>
      ))}
    </svg>
  );
}

/** One stretch of a day, with the number of the entry that it is of. */
function Piece({ s, i }: { s: Stretch; i: number }) {
  const x = left + (s.from / 60) * wide;
  const width = ((s.to - s.from) / 60) * wide;
  return (
    <>
      <rect
        x={x}
        y={s.day * row}
        width={width}
        height={row - 1}
        fill={`color-mix(in oklab, var(--color-primary) ${[70, 45, 28, 16][i] ?? 10}%, var(--color-base-100))`}
        stroke="var(--color-base-100)"
        strokeWidth="0.5"
      />
      {width > 10 && (
        <text
          x={x + 3}
          y={s.day * row + 9.5}
          fontSize="8"
          fill={i === 0 ? "var(--color-primary-content)" : "currentColor"}
        >
          {i + 1}
        </text>
      )}
    </>
  );
}
