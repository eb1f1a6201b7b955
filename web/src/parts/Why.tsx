import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef } from "react";
import { Link, useParams } from "react-router";
import type { Schemas } from "../api/client";
import { why } from "../api/queries/outcomes";
import { count, here } from "../words";
import { pathOfDocument } from "./places";
import { Trouble, Waiting } from "./Section";
import { useAddress } from "./useAddress";

/** A number that can be asked why it is what it is; the address says which one is asked. Away from an outcome's own page
 * `outcome` says whose it is, and `against` which other it is compared with. */
export function Asked({
  of,
  outcome,
  against,
  children,
}: {
  of: string;
  outcome?: number;
  against?: number;
  children: ReactNode;
}) {
  const { change } = useAddress();
  return (
    <button
      type="button"
      aria-haspopup="dialog"
      data-why={of}
      title="why this number"
      className="cursor-pointer text-inherit decoration-dotted underline-offset-4 hover:underline"
      onClick={() => change({ why: [of, outcome, against].filter((x) => x !== undefined).join(",") })}
    >
      {children}
    </button>
  );
}

/** Work other than simulations whose numbers can be asked. */
type Work = { kind: Parameters<typeof why>[0]; id: number };

/** What a number is, how it is made, how sure it is, and what went in; with `work`, of that instead of an outcome. */
export function Why({ work }: { work?: Work }) {
  const own = Number(useParams().id);
  const { query, instead } = useAddress();
  const asked = query.get("why") ?? "";
  const [, of = "", its, other] = /^(.*?)(?:,(\d+))?(?:,(\d+))?$/.exec(asked) ?? [];
  const id = own || Number(its);
  const against = other === undefined ? undefined : Number(other);
  const place = useRef<HTMLDialogElement>(null);
  const found = useQuery({
    ...why(work?.kind ?? "outcomes", work?.id ?? id, of, against),
    enabled: of !== "" && (work !== undefined || id > 0),
  });
  useEffect(() => {
    const d = place.current;
    if (of !== "" && !d?.open) d?.showModal();
    if (of === "" && d?.open) d.close();
  }, [of]);
  const close = () => instead({ why: "" });
  return (
    <dialog ref={place} className="modal" aria-label="Why this number" onClose={() => of !== "" && close()}>
      <div className="modal-box max-w-2xl" id="why">
        {found.error ? <Trouble error={found.error} /> : !found.data && <Waiting what="the answer" />}
        {found.data && <Told w={found.data} />}
        <div className="modal-action mt-3">
          <button type="button" className="btn btn-sm" onClick={close}>
            Close
          </button>
        </div>
      </div>
      <form method="dialog" className="modal-backdrop">
        <button type="submit" tabIndex={-1} aria-hidden="true">
          close
        </button>
      </form>
    </dialog>
  );
}

function Told({ w }: { w: Schemas["WhyNumber"] }) {
  return (
    <>
      <h2 className="font-semibold text-xl tabular-nums">{w.value}</h2>
      <dl className="mt-2 grid gap-x-3 text-sm sm:grid-cols-[6rem_minmax(0,1fr)] sm:gap-y-2 [&>dt]:mt-2 sm:[&>dt]:mt-0">
        <dt className="opacity-80">what it is</dt>
        <dd>{w.what}</dd>
        <dt className="opacity-80">how</dt>
        <dd>{w.how}</dd>
        <dt className="opacity-80">how sure</dt>
        <dd>{w.interval}</dd>
        {w.against && (
          <>
            <dt className="opacity-80">difference</dt>
            <dd id="against">{w.against}</dd>
          </>
        )}
        <dt className="opacity-80">what went in</dt>
        <dd>
          <ul>
            {w.documents.map((d) => {
              const path = pathOfDocument(d.kind, d.name);
              return (
                <li key={`${d.kind}/${d.name}`} className="break-words">
                  {path ? (
                    <Link className="link" to={path}>
                      {d.name}
                    </Link>
                  ) : (
                    d.name
                  )}{" "}
                  ({d.kind}), revision {d.revision}
                  {d.stored && `, stored ${here(d.stored)}`}
                  {d.newest > d.revision && <b className="font-medium">; it is revision {d.newest} now</b>}
                </li>
              );
            })}
            {w.other?.map((d) => (
              <li key={`other/${d.kind}/${d.name}`} className="break-words opacity-80">
                into the other: {d.name} ({d.kind}), revision {d.revision}
              </li>
            ))}
            {w.changed && <li>with changes made in them first, as of a variant</li>}
          </ul>
        </dd>
        <dt className="opacity-80">facts</dt>
        <dd>
          {w.measured === 0 ? "None" : count(w.measured)} of {count(w.facts)} facts of the cluster are
          measured and not old; “What it hangs on”, on the outcome’s page, tries them.
        </dd>
        <dt className="opacity-80">drawn</dt>
        <dd>
          {w.runs === 0
            ? "Nothing"
            : `${w.runs} ${w.runs === 1 ? "repeat" : "repeats"} from seed ${w.seed}, by engine ${w.engine}`}
          {w.recording && `; recorded jobs ${w.recording.slice(0, 12)}`}.
          {w.runs > 0 && " The same documents and seed give the same bytes."}
        </dd>
      </dl>
    </>
  );
}
