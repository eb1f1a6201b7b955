/** How many times as long as the usual one a bar may be before it is cut. */
const far = 5;

/**
 * What full width stands for where one bar among many is far longer than the others: those beyond it are drawn cut,
 * so that the others can be told apart.
 */
export function scaleOf(values: number[]): { whole: number; cut: boolean } {
  const there = values.filter((v) => v > 0).sort((a, b) => a - b);
  const longest = there.at(-1) ?? 0;
  const usual = there[Math.floor((there.length - 1) / 2)] ?? 0;
  if (there.length < 3 || longest <= far * usual) return { whole: longest, cut: false };
  const within = there.filter((v) => v <= far * usual).at(-1) ?? longest;
  return { whole: within * 1.25, cut: true };
}
