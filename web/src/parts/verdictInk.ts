/** How a verdict is coloured in words. */
export const verdictInk = (verdict: string) =>
  verdict === "kept" ? "" : verdict === "missed" ? "font-medium text-error" : "font-medium text-warning";
