import type { Schemas } from "../api/client";
import { signed } from "../words";

type Figure = Schemas["Figure"];

/** sure reports whether a difference is more than chance. */
const sure = (f: Figure) => f.runs < 2 || Math.abs(f.mean) > f.half;

/** A difference with its sign, where it is more than chance. */
export function Change({ of, say }: { of: Figure; say: (x: number) => string }) {
  if (of.mean === 0 && of.half === 0) return <>–</>;
  if (!sure(of)) return <span className="opacity-70">no sure change</span>;
  return <>{signed(of.mean, say)}</>;
}
