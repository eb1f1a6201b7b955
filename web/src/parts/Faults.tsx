import type { Schemas } from "../api/client";

/** What is wrong with documents, each fault at its place. */
export function Faults({ list, most = 6 }: { list: Schemas["Fault"][]; most?: number }) {
  return list.slice(0, most).map((f) => (
    <p key={`${f.file}${f.path}${f.line}${f.expected}`}>
      <span className="font-mono text-sm">
        {f.file && `${f.file}: `}
        {f.path}
        {f.line ? `${f.path ? ", " : ""}line ${f.line}` : ""}
      </span>{" "}
      {faultWords(f)}
    </p>
  ));
}

/** faultWords says what stands there, and what should. */
export const faultWords = (f: Schemas["Fault"]) => `${f.found ? `${f.found}: ` : ""}${f.expected}`;
