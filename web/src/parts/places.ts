import type { Work } from "../api/client";

/** The pages, with the key that goes there. */
export const pages: { name: string; path: string; key: string }[] = [
  { name: "Desk", path: "/", key: "d" },
  { name: "Templates", path: "/templates", key: "t" },
  { name: "Caching", path: "/caching", key: "w" },
  { name: "Frontier", path: "/frontier", key: "f" },
  { name: "Compare", path: "/compare", key: "c" },
  { name: "Learn", path: "/learn", key: "l" },
  { name: "Live", path: "/live", key: "v" },
  { name: "Backtest", path: "/backtest", key: "b" },
  { name: "Week ahead", path: "/ahead", key: "a" },
  { name: "Service", path: "/service", key: "o" },
];

/** Where a document is looked at; nothing where it has no page. */
export function pathOfDocument(kind: string, name: string): string | undefined {
  const at = encodeURIComponent(name);
  switch (kind) {
    case "PodTemplate":
      return `/templates/${at}`;
    case "Scenario":
      return `/scenarios/${at}`;
    case "Cluster":
      return `/clusters/${at}`;
    case "Workload":
      return `/workloads/${at}`;
    case "Sweep":
      return "/frontier";
  }
}

/** Where work is looked at. */
export function pathOfWork(w: Work): string {
  const about = encodeURIComponent(w.about);
  switch (w.kind) {
    case "simulation":
      return `/outcomes/${w.id}`;
    case "weighing":
      return `/caching/${about}`;
    case "exploration":
    case "margin":
      return `/frontier/${about}`;
    case "backtest":
      return `/backtest/${about}`;
    case "forecast":
      return `/ahead/${about}`;
    case "preflight":
    case "rehearsal":
      return `/templates/${about}?view=live&trial=${w.id}`;
    default:
      return `/scenarios/${about}`;
  }
}

/** What work is called. */
export const titleOfWork = (w: Work) =>
  `${w.kind === "simulation" ? "outcome" : w.kind} ${w.id}${w.called ? `, ${w.called}` : ""} of ${w.about}`;
