import { type FormEvent, useState } from "react";
import { api, Problem, take } from "../../api/client";
import { Section, Trouble } from "../../parts/Section";
import { useTitle } from "../../parts/useTitle";
import { Manifest } from "./Template";

interface Question {
  key: string;
  ask: string;
  why: string;
  fields: { name: string; label: string; example: string; optional?: boolean }[];
}

/** The questions, in the order of the work: connect, say what it is, size it. */
const questions: Question[] = [
  {
    key: "namespace",
    ask: "Where do agents live?",
    why: "A namespace of their own: rights, quotas and network rules are given to namespaces.",
    fields: [{ name: "namespace", label: "namespace", example: "slipway" }],
  },
  {
    key: "controller",
    ask: "Where do agents reach their controller?",
    why: "Its address inside the cluster, not the one that people use.",
    fields: [{ name: "controller", label: "address", example: "http://dispatch.slipway.svc:8080" }],
  },
  {
    key: "secret",
    ask: "How do they show who they are?",
    why: "By a token in a Secret, which the template only names. Leave it empty when none is needed.",
    fields: [{ name: "secret", label: "Secret and key", example: "slipway-join/token", optional: true }],
  },
  {
    key: "name",
    ask: "What is the template called?",
    why: "Pods are named after it.",
    fields: [{ name: "name", label: "name", example: "small-steady" }],
  },
  {
    key: "offers",
    ask: "What can its agents do?",
    why: "A job goes to a template that offers everything it wants, letter by letter.",
    fields: [{ name: "offers", label: "words, with commas", example: "linux, go" }],
  },
  {
    key: "image",
    ask: "What is an agent made of?",
    why: "An image with the agent and the tools that jobs need, under a tag that stays.",
    fields: [{ name: "image", label: "image", example: "images.brinewell.example/agents/steady:2026.9" }],
  },
  {
    key: "size",
    ask: "How much does one job take?",
    why: "The cores that it keeps busy, its memory at the peak, the disk of its workspace; and how long an agent may live, so that one that hangs ends (4h where nothing is said). A guess is a beginning; correct it from what jobs really use.",
    fields: [
      { name: "cpu", label: "CPU", example: "2" },
      { name: "memory", label: "memory", example: "4Gi" },
      { name: "workspace", label: "workspace", example: "8Gi" },
      { name: "longest", label: "longest life", example: "4h", optional: true },
    ],
  },
];

/** A guided first template: seven questions, and a manifest at the end. */
export default function First() {
  useTitle("A first template");
  const [at, setAt] = useState(0);
  const [answers, setAnswers] = useState<Record<string, string>>({});
  const [draft, setDraft] = useState<string | null>(null);
  const [wrong, setWrong] = useState<unknown>(null);
  const q = questions[at];
  const next = async (e: FormEvent) => {
    e.preventDefault();
    setWrong(null);
    if (at + 1 < questions.length) {
      setAt(at + 1);
      return;
    }
    try {
      const made = take(
        await api.POST("/api/v1/drafts", {
          body: {
            namespace: answers.namespace ?? "",
            controller: answers.controller ?? "",
            secret: answers.secret || undefined,
            name: answers.name ?? "",
            offers: (answers.offers ?? "").split(/[,\s]+/).filter(Boolean),
            image: answers.image ?? "",
            cpu: answers.cpu ?? "",
            memory: answers.memory ?? "",
            workspace: answers.workspace ?? "",
            longest: answers.longest || undefined,
          },
        }),
      );
      setDraft(made.text);
    } catch (problem) {
      setWrong(problem);
      if (problem instanceof Problem) {
        const field = /body\.(\w+)/.exec(problem.places[0] ?? "")?.[1];
        const back = questions.findIndex((x) => x.fields.some((f) => f.name === field));
        if (back >= 0) setAt(back);
      }
    }
  };
  if (draft !== null) {
    return (
      <>
        <h1 className="mt-6 mb-1 font-semibold text-2xl">A first template</h1>
        <p className="mb-4">
          This is what your answers come to. Change what you like; save it, apply its kit, and rehearse one
          agent.
        </p>
        <Manifest name="" stored={null} draft={draft} setDraft={(t) => setDraft(t)} />
      </>
    );
  }
  if (!q) return null;
  return (
    <Section title="A first template" aside={`question ${at + 1} of ${questions.length}`}>
      <ol className="mb-6 flex flex-wrap gap-x-4 gap-y-1 text-sm">
        {questions.map((x, i) => (
          <li key={x.key}>
            <button
              type="button"
              className={i === at ? "border-primary border-b-2 font-medium" : "link link-hover opacity-85"}
              disabled={i > at && !x.fields.every((f) => f.optional || answers[f.name])}
              onClick={() => setAt(i)}
            >
              {i + 1} {x.key}
            </button>
          </li>
        ))}
      </ol>
      {wrong !== null && <Trouble error={wrong} />}
      <form onSubmit={next} className="max-w-2xl">
        <h3 className="font-medium text-lg">{q.ask}</h3>
        <p className="mb-3 opacity-85">{q.why}</p>
        <div className="flex flex-wrap gap-4">
          {q.fields.map((f, i) => (
            <label key={`${q.key}${f.name}`} className={q.fields.length > 1 ? "w-36" : "w-full"}>
              <span className="block text-sm">{f.label}</span>
              <input
                id={f.name}
                className="input w-full"
                // biome-ignore lint/a11y/noAutofocus: the page asks one question at a time
                autoFocus={i === 0}
                required={!f.optional}
                placeholder={f.example}
                value={answers[f.name] ?? ""}
                onChange={(e) => setAnswers({ ...answers, [f.name]: e.target.value })}
              />
            </label>
          ))}
        </div>
        <div className="mt-4 flex gap-3">
          {at > 0 && (
            <button type="button" className="btn btn-ghost btn-sm" onClick={() => setAt(at - 1)}>
              Back
            </button>
          )}
          <button type="submit" id="next" className="btn btn-primary btn-sm">
            {at + 1 < questions.length ? "Next" : "Write the manifest"}
          </button>
        </div>
      </form>
    </Section>
  );
}
