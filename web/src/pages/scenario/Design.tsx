import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, Problem, type Schemas, storeText, take } from "../../api/client";
import { documentNames, schema } from "../../api/queries/documents";
import type { Mark } from "../../parts/Editor";
import { Faults, faultWords } from "../../parts/Faults";
import { Notice, Trouble, Waiting } from "../../parts/Section";
import type { SchemaNode } from "../../parts/schemaCompletion";
import { count } from "../../words";
import { Rules } from "../caching/Rules";
import { Changed } from "./Changed";
import { Controls } from "./Controls";
import { type Editing, EditingContext } from "./Field";
import { Glance } from "./Glance";
import { Last } from "./Last";
import { useText } from "./useText";

// The editor is large, and is there only where its document is looked at.
const Editor = lazy(() => import("../../parts/Editor").then((m) => ({ default: m.Editor })));

/** All fields of a design, the document beside them, what changed, and what one run says of it. */
export function Design({
  name,
  known,
  stored,
  made,
}: {
  name: string;
  known?: Schemas["Scenario"];
  stored?: { text: string; revision: number };
  /** What was new is stored. */
  made: () => void;
}) {
  const draft = useText(name, stored);
  const fields = useQuery(schema("Scenario"));
  const templates = useQuery(documentNames("PodTemplate"));
  const clusters = useQuery(documentNames("Cluster"));
  const workloads = useQuery(documentNames("Workload"));
  const queries = useQueryClient();
  const go = useNavigate();
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const [beside, setBeside] = useState(() => window.matchMedia("(min-width: 64rem)").matches);
  const answer = draft.answer;
  // While the text is no YAML, or says nothing that can be looked up, what was known last stands there.
  const last = useRef<{ written: unknown; names: Schemas["ScenarioText"] } | null>(null);
  if (answer?.written) {
    last.current = {
      written: answer.written,
      names: answer.templates.length > 0 || !last.current ? answer : last.current.names,
    };
  }
  const faults = answer?.faults ?? [];
  const ready = answer !== null && faults.length === 0;

  /** save stores the text as a new revision; what somebody else stored meanwhile is not overwritten. */
  const save = useCallback(async () => {
    const text = draft.latest();
    const stored = await storeText("Scenario", name, draft.base, text).catch(async (problem) => {
      if (!(problem instanceof Problem && problem.status === 412)) throw problem;
      await queries.invalidateQueries({ queryKey: ["scenarios"] });
      throw new Error(
        draft.base > 0
          ? `Somebody else has stored another revision of ${name} since this page was opened. Your text stays here: copy it, press “Drop my changes”, and make them again in theirs.`
          : `There is a scenario ${name} already. Open it, or give this one another name.`,
      );
    });
    draft.over({ text, revision: stored.revision });
    made();
    await queries.invalidateQueries({ queryKey: ["scenarios"] });
  }, [draft, made, name, queries]);

  const attempt = useCallback(
    async (simulate: boolean) => {
      setBusy(true);
      setError(null);
      try {
        await draft.settled();
        if (draft.latest() !== stored?.text) await save();
        if (simulate) {
          const o = take(await api.POST("/api/v1/outcomes", { body: { scenario: name } }));
          await queries.invalidateQueries({ queryKey: ["scenarios"] });
          go(`/outcomes/${o.id}`);
          return;
        }
      } catch (problem) {
        setError(problem);
      }
      setBusy(false);
    },
    [draft, go, name, queries, save, stored?.text],
  );

  const cannot = busy || !ready;
  useEffect(() => {
    const pressed = (e: KeyboardEvent) => {
      const at = e.target as HTMLElement;
      if (at.closest("input, select, textarea, [contenteditable], dialog[open]")) return;
      if (e.ctrlKey || e.metaKey) {
        if (e.key === "z" && draft.undo) draft.undo();
        else if ((e.key === "y" || e.key === "Z") && draft.redo) draft.redo();
        else return;
        e.preventDefault();
        return;
      }
      if (!cannot && e.key === "s") void attempt(true);
    };
    window.document.addEventListener("keydown", pressed);
    return () => window.document.removeEventListener("keydown", pressed);
  }, [attempt, cannot, draft]);

  const editing = useMemo<Editing | null>(() => {
    if (!fields.data || !answer || !last.current) return null;
    const { written, names } = last.current;
    return {
      root: fields.data as SchemaNode,
      spec: (written as { spec?: unknown }).spec,
      faults: answer.faults,
      edit: (edits) => void draft.edit(edits),
      names: {
        template: templates.data ?? [],
        becomes: templates.data ?? [],
        templates: names.templates.map((t) => t.name),
        spareRoom: names.templates.map((t) => t.name),
        cluster: clusters.data ?? [],
        workload: workloads.data ?? [],
        pools: names.pools.map((p) => p.name),
        classes: names.classes,
        images: names.images,
      },
    };
  }, [answer, clusters.data, draft.edit, fields.data, templates.data, workloads.data]);

  const marks = useMemo<Mark[]>(
    () =>
      (answer?.faults ?? []).map((f) => ({
        line: f.line ?? 1,
        column: f.column ?? 1,
        grave: "error",
        text: faultWords(f),
      })),
    [answer],
  );
  const unread = answer !== null && answer.written === undefined;
  const spec = answer?.spec;
  return (
    <>
      <div className="mt-8 flex flex-wrap items-start justify-between gap-4">
        <div className="min-w-0">
          <h1 className="font-semibold text-2xl [overflow-wrap:anywhere]">{name}</h1>
          <p className="max-w-2xl [overflow-wrap:anywhere]">
            {known?.note}{" "}
            {spec && (
              <>
                On cluster{" "}
                <Link className="link" to={`/clusters/${spec.cluster}`}>
                  {spec.cluster}
                </Link>
                , with workload{" "}
                <Link className="link" to={`/workloads/${spec.workload}`}>
                  {spec.workload}
                </Link>
                ; {draft.base > 0 ? `revision ${draft.base}` : "not stored yet"}.
              </>
            )}
          </p>
        </div>
        <div className="flex flex-wrap items-center gap-2">
          <button
            type="button"
            id="undo"
            className="btn btn-ghost btn-sm"
            disabled={!draft.undo}
            onClick={() => draft.undo?.()}
          >
            Undo
          </button>
          <button
            type="button"
            id="redo"
            className="btn btn-ghost btn-sm"
            disabled={!draft.redo}
            onClick={() => draft.redo?.()}
          >
            Redo
          </button>
          <Link className="btn btn-ghost btn-sm" to={`/new?from=${name}`}>
            New from this
          </Link>
          {known && (
            <Link id="improve" className="btn btn-sm" to={`/frontier/${name}`}>
              What should it be?
            </Link>
          )}
          <button
            type="button"
            id="store"
            className="btn btn-sm"
            disabled={busy || !answer?.spec || !draft.changed}
            onClick={() => attempt(false)}
          >
            Store
          </button>
          <button
            type="button"
            id="simulate"
            className="btn btn-primary btn-sm"
            onClick={() => attempt(true)}
            disabled={cannot}
          >
            {busy ? "Asking …" : draft.changed ? "Store and simulate" : "Simulate"}
          </button>
        </div>
      </div>
      {error !== null && <Trouble error={error} />}
      {draft.error !== null && <Trouble error={draft.error} />}
      {stored && draft.changed && (
        <p className="mt-2 text-sm">
          Changed, and kept in this tab until you store it.{" "}
          <button type="button" className="link" id="drop" onClick={() => draft.over(stored)}>
            Drop my changes
          </button>
          {draft.base !== stored.revision && (
            <b> Somebody else has stored revision {stored.revision} since you began.</b>
          )}
        </p>
      )}
      {faults.length > 0 && (
        <div id="faults">
          <Notice>
            <p className="font-medium">
              {answer?.spec ? "It cannot be simulated" : "The document cannot be read"}:{" "}
              {count(faults.length)} {faults.length === 1 ? "thing is" : "things are"} wrong.
              {unread && " The fields follow once it can."}
            </p>
            <Faults list={faults} />
          </Notice>
        </div>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)] gap-x-8 lg:grid-cols-[minmax(0,1fr)_22rem]">
        <div>
          {known?.last && <Last brief={known.last} current={known.current && !draft.changed} />}
          {editing && fields.data ? (
            <EditingContext value={editing}>
              <fieldset disabled={unread} className={`min-w-0 ${unread ? "opacity-60" : ""}`}>
                <Controls
                  node={(fields.data as SchemaNode).properties?.spec ?? {}}
                  known={last.current?.names ?? null}
                />
              </fieldset>
            </EditingContext>
          ) : (
            answer === null && <Waiting what="the fields" />
          )}
          {known && <Rules scenario={name} revision={known.revision} rules={known.spec.caching ?? []} />}
        </div>
        <div className="mt-8 lg:sticky lg:top-2 lg:max-h-[calc(100vh-1rem)] lg:self-start lg:overflow-y-auto">
          <Glance
            name={name}
            text={answer?.text ?? ""}
            ready={ready}
            wanted={draft.changed || !known?.last}
          />
          <div className="mt-3">{answer && <Changed answer={answer} changed={draft.changed} />}</div>
          <details
            className="mt-3"
            open={unread || beside}
            onToggle={(e) => setBeside(e.currentTarget.open)}
            id="document"
          >
            <summary className="cursor-pointer font-semibold">The document</summary>
            {(unread || beside) && (
              <Suspense fallback={<Waiting what="the editor" />}>
                <Editor
                  text={draft.text}
                  marks={marks}
                  schema={fields.data}
                  change={draft.write}
                  goTo={null}
                  label="Document"
                  wrap
                />
              </Suspense>
            )}
          </details>
        </div>
      </div>
    </>
  );
}
