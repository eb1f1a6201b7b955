/** The days of the week, in order. */
export const days = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

/** A stretch of one day, in minutes from its midnight. */
export interface Stretch {
  day: number;
  from: number;
  to: number;
}

const clock = (s: string | undefined) => {
  const m = /^(\d{2}):([0-5]\d)$/.exec(s ?? "");
  return m ? Number(m[1]) * 60 + Number(m[2]) : null;
};

/** stretchesOf reads a part of the week, as in Mon-Fri 07:00-19:00, into stretches of days; null: it is none. */
export function stretchesOf(when: string): Stretch[] | null {
  const [names, hours, more] = when.split(" ");
  const [start, end] = (hours ?? "").split("-");
  const from = clock(start);
  let to = clock(end);
  if (!names || more !== undefined || from === null || to === null || from >= 1440 || to > 1440) return null;
  if (to <= from) to += 1440;
  const on = new Set<number>();
  for (const part of names.split(",")) {
    const [first, last, further] = part.split("-");
    if (further !== undefined) return null;
    const a = days.indexOf(first ?? "");
    const b = last === undefined ? a : days.indexOf(last);
    if (a < 0 || b < 0) return null;
    for (let d = a; ; d = (d + 1) % 7) {
      on.add(d);
      if (d === b) break;
    }
  }
  const out: Stretch[] = [];
  for (let day = 0; day < 7; day++) {
    if (on.has((day + 6) % 7) && to > 1440) out.push({ day, from: 0, to: to - 1440 });
    if (on.has(day)) out.push({ day, from, to: Math.min(to, 1440) });
  }
  return out;
}

const hour = (h: number) => `${String(h).padStart(2, "0")}:00`;

/** whenOf writes days and whole hours as a part of the week. */
export const whenOf = (firstDay: number, lastDay: number, from: number, to: number) =>
  `${days[firstDay]}${lastDay > firstDay ? `-${days[lastDay]}` : ""} ${hour(from)}-${hour(to)}`;
