const days = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const hours = Array.from({ length: 24 }, (_, h) => h);
const short = (n: number) => (n >= 100 ? n.toFixed(0) : n >= 10 ? n.toFixed(1) : n.toFixed(2));

/** Jobs an hour by hour of the week, Monday first, as a map. */
export function Heat({ title, of, most }: { title: string; of: number[]; most: number }) {
  const shade = (n: number) => Math.sqrt(n / most); // so that nights can be seen beside days
  return (
    <figure>
      <figcaption className="mb-1 flex justify-between text-sm">
        {title} <span className="opacity-80">at most {short(Math.max(...of, 0))} an hour</span>
      </figcaption>
      <svg
        viewBox="0 0 520 150"
        className="w-full"
        role="img"
        aria-label={`jobs an hour by hour of the week, ${title}`}
      >
        {days.map((d, i) => (
          <text key={d} x="0" y={i * 18 + 13} className="fill-base-content text-[11px]">
            {d}
          </text>
        ))}
        {days.flatMap((d, i) =>
          hours.map((h) => {
            const n = of[i * 24 + h] ?? 0;
            return (
              <rect
                key={`${d}${h}`}
                x={34 + h * 20}
                y={i * 18}
                width="19"
                height="17"
                className="fill-primary stroke-base-300"
                fillOpacity={n > 0 ? 0.08 + 0.92 * shade(n) : 0}
                strokeWidth="0.5"
              >
                <title>{`${d} ${String(h).padStart(2, "0")}:00, ${short(n)} jobs an hour`}</title>
              </rect>
            );
          }),
        )}
        {[0, 6, 12, 18].map((h) => (
          <text key={h} x={34 + h * 20} y="140" className="fill-base-content text-[11px]">
            {String(h).padStart(2, "0")}:00
          </text>
        ))}
      </svg>
    </figure>
  );
}
