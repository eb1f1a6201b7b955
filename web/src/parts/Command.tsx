import { useLocation } from "react-router";

/** A word of a command line, quoted where it has to be. */
const word = (text: string) => (/^[\w./:=@%+-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`);

/** The command that does, or says, what a page does. */
export function commandOf(path: string, search: string): string | undefined {
  const [, place = "", raw = ""] = path.split("/");
  const name = raw && word(decodeURIComponent(raw));
  const query = new URLSearchParams(search);
  switch (place) {
    case "":
      return "get scenarios";
    case "scenarios":
      return `simulate ${name}`;
    case "start":
      return "learn jobs FILE --write DIR --node 8,32Gi,0.40";
    case "new":
      return "put FILE";
    case "outcomes": {
      const job = query.get("job");
      return job ? `explain ${name} ${word(job)}` : `get outcome ${name}`;
    }
    case "compare": {
      const ids = query.get("ids");
      return ids ? `compare ${ids.split(",").map(word).join(" ")}` : "get outcomes";
    }
    case "templates":
      if (!name) return "check";
      if (name === "new") return "draft";
      return (
        {
          kit: `render ${name} --parts kit`,
          live: `rehearse ${name}`,
          sizing: `size ${name}`,
        }[query.get("view") ?? ""] ?? `check ${name}`
      );
    case "caching":
      return name ? `weigh ${name}` : undefined;
    case "frontier":
      return name ? `improve ${name}` : undefined;
    case "backtest":
      return name ? `backtest ${name}` : undefined;
    case "ahead":
      return name ? `forecast ${name}` : undefined;
    case "learn":
      return "learn jobs FILE";
    case "live":
      return "live";
    case "clusters":
      return `get cluster ${name}`;
    case "workloads":
      return `get workload ${name}`;
    case "service":
      return "kept";
  }
}

/** The same on the command line, at the end of each page. */
export function Command() {
  const at = useLocation();
  const command = commandOf(at.pathname, at.search);
  if (!command) return null;
  return (
    <footer className="mt-12 border-base-300 border-t pt-2 text-sm">
      <span className="opacity-80">The same on the command line: </span>
      <code id="command" className="font-mono">
        tachyphor {command}
      </code>
    </footer>
  );
}
