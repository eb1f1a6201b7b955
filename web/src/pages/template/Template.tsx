import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, asYaml, Problem, type Schemas, storeText, take } from "../../api/client";
import { schema } from "../../api/queries/documents";
import { template } from "../../api/queries/templates";
import { Diff } from "../../parts/Diff";
import { Editor, type Mark } from "../../parts/Editor";
import { Notice, Trouble, Waiting } from "../../parts/Section";
import { useTitle } from "../../parts/useTitle";
import { Findings } from "./Findings";
import { Kit } from "./Kit";
import { Live } from "./Live";
import { Portrait } from "./Portrait";
import { Revisions } from "./Revisions";
import { Sizing } from "./Sizing";
import { severityWords, Tally } from "./Tally";

type Reviewed = Schemas["Reviewed"];
type Finding = Schemas["Finding"];

const views = [
  ["", "Manifest"],
  ["sizing", "Sizing"],
  ["kit", "Kit and manifests"],
  ["live", "Try it"],
  ["revisions", "Revisions"],
] as const;

/** One template: its manifest with findings beside a plain summary, and what comes of it. */
export default function Template() {
  const { name = "" } = useParams();
  useTitle(name);
  const found = useQuery(template(name));
  const [query] = useSearchParams();
  const [draft, setDraft] = useState<string | null>(null);
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <Waiting what={`template ${name}`} />;
  const view = query.get("view") ?? "";
  const stored = found.data;
  return (
    <>
      <div className="mt-6 flex flex-wrap items-baseline gap-x-6 gap-y-2">
        <h1 className="font-semibold text-2xl">{name}</h1>
        <nav className="flex flex-wrap gap-x-5" aria-label="Parts of the template">
          {views.map(([key, title]) => (
            <Link
              key={key}
              to={key ? `?view=${key}` : "?"}
              aria-current={view === key ? "page" : undefined}
              className={`py-1 ${view === key ? "border-primary border-b-2 font-medium" : "hover:underline"}`}
            >
              {title}
            </Link>
          ))}
        </nav>
        <span className="ml-auto text-sm opacity-80">revision {stored.revision}</span>
      </div>
      <div className="mt-4">
        {view === "" && <Manifest name={name} stored={stored} draft={draft} setDraft={setDraft} />}
        {view === "sizing" && <Sizing name={name} text={stored.text ?? ""} uses={stored.uses} />}
        {view === "kit" && <Kit name={name} uses={stored.uses} />}
        {view === "live" && <Live name={name} uses={stored.uses} saved={draft === null} />}
        {view === "revisions" && <Revisions name={name} />}
      </div>
    </>
  );
}

/** The manifest, reviewed while it is written. */
export function Manifest({
  name,
  stored,
  draft,
  setDraft,
}: {
  name: string;
  stored: Reviewed | null;
  draft: string | null;
  setDraft: (text: string | null) => void;
}) {
  const fields = useQuery(schema("PodTemplate"));
  const queries = useQueryClient();
  const go = useNavigate();
  const text = draft ?? stored?.text ?? "";
  const [reviewed, setReviewed] = useState<Reviewed | null>(stored);
  const [wrong, setWrong] = useState<unknown>(null);
  const [diff, setDiff] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const [at, setAt] = useState<{ line: number; times: number } | null>(null);
  const asked = useRef(0);

  useEffect(() => {
    if (draft === null && stored) {
      setReviewed(stored);
      setWrong(null);
      return;
    }
    const mine = ++asked.current;
    const later = setTimeout(async () => {
      try {
        const list = take(
          await api.POST("/api/v1/check", {
            params: { query: { file: "" } },
            ...asYaml(text),
          }),
        );
        if (mine !== asked.current) return;
        setWrong(list.items.length === 1 ? null : new Error("The text must hold one template."));
        if (list.items[0]) setReviewed(list.items[0]);
      } catch (problem) {
        if (mine === asked.current) setWrong(problem);
      }
    }, 250);
    return () => clearTimeout(later);
  }, [draft, stored, text]);

  const marks = useMemo<Mark[]>(() => {
    if (wrong instanceof Problem) return wrong.reasons.map(place).filter((m) => m !== null);
    return (reviewed?.findings ?? []).filter((f) => f.line).map(mark);
  }, [reviewed, wrong]);

  const fix = useCallback(
    async (list: Finding[]) => {
      try {
        const edits = list.flatMap((f) => f.fix ?? []);
        const m = take(await api.POST("/api/v1/mend", { body: { text, edits } }));
        setDiff(m.diff);
        setDraft(m.text);
      } catch (problem) {
        setWrong(problem);
      }
    },
    [text, setDraft],
  );

  const save = async () => {
    setBusy(true);
    try {
      const target = reviewed?.name ?? name;
      await storeText("PodTemplate", target, stored && target === name ? (stored.revision ?? 0) : 0, text);
      await queries.invalidateQueries({ queryKey: ["templates"] });
      await queries.invalidateQueries({ queryKey: ["revisions"] });
      setDraft(null);
      setDiff(null);
      if (target !== name || !stored) go(`/templates/${target}`);
    } catch (problem) {
      setWrong(problem);
    }
    setBusy(false);
  };

  return (
    <>
      <div className="grid grid-cols-[minmax(0,1fr)] gap-8 lg:grid-cols-[minmax(0,1fr)_20rem]">
        <div>
          <div className="mb-2 flex flex-wrap items-center gap-3">
            <button
              type="button"
              id="save"
              className="btn btn-primary btn-sm"
              disabled={busy || wrong instanceof Problem || (stored !== null && draft === null)}
              onClick={save}
            >
              {busy ? "Saving …" : stored ? "Save as a new revision" : "Save"}
            </button>
            {stored && draft !== null && (
              <button
                type="button"
                className="btn btn-ghost btn-sm"
                onClick={() => {
                  setDraft(null);
                  setDiff(null);
                }}
              >
                Undo all changes
              </button>
            )}
            <span className="text-sm opacity-80">
              {stored && draft === null ? "as stored" : "changed, not saved"}
            </span>
            {reviewed && (
              <a href="#findings" className="link link-hover ml-auto text-sm">
                <Tally findings={reviewed.findings} />
              </a>
            )}
          </div>
          {wrong !== null && <Trouble error={wrong} />}
          {fields.data ? (
            <Editor text={text} marks={marks} schema={fields.data} change={setDraft} goTo={at} />
          ) : (
            <Waiting what="the editor" />
          )}
          {diff !== null && (
            <div className="mt-4">
              <Notice>Mended, and not saved yet. This is what changed:</Notice>
              <Diff text={diff} />
            </div>
          )}
          {reviewed && reviewed.left.length > 0 && (
            <Notice>
              Taken out of a {reviewed.from}; left behind: {reviewed.left.join(", ")}.
            </Notice>
          )}
        </div>
        {reviewed && <Portrait of={reviewed.portrait} />}
      </div>
      {reviewed && (
        <Findings
          list={reviewed.findings}
          goTo={(line) => setAt((was) => ({ line, times: (was?.times ?? 0) + 1 }))}
          fix={fix}
        />
      )}
    </>
  );
}

/** A finding as a mark in the margin. */
const mark = (f: Finding): Mark => ({
  line: f.line ?? 1,
  column: f.column ?? 1,
  grave: f.severity === "will-not-work" ? "error" : f.severity === "advice" ? "info" : "warning",
  text: `${severityWords(f.severity)}: ${f.says} → ${f.do}`,
});

/** A fault's place, read off its text: line:column: what. */
function place(reason: string): Mark | null {
  const m = /^(?:[^:]*:)?(\d+):(\d+): (.*)$/s.exec(reason);
  return m ? { line: Number(m[1]), column: Number(m[2]), grave: "error", text: m[3] ?? reason } : null;
}
