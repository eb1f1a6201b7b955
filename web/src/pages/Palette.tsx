import { useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, type RefObject, useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { outcomes } from "../api/queries/outcomes";
import { found } from "../api/queries/service";
import { pages, pathOfDocument, pathOfWork, titleOfWork } from "../parts/places";
import { useVocabulary } from "../parts/Words";

interface Entry {
  id: string;
  what: string;
  name: string;
  go: () => void;
}

/** Goes to any document, outcome, job, page: by a part of its name. */
export function Palette({ dialog, help }: { dialog: RefObject<HTMLDialogElement | null>; help: () => void }) {
  const [text, setText] = useState("");
  const [late, setLate] = useState("");
  const [at, setAt] = useState(0);
  const go = useNavigate();
  useEffect(() => {
    const wait = setTimeout(() => setLate(text.trim()), 120);
    return () => clearTimeout(wait);
  }, [text]);
  const there = useQuery({ ...found(late), enabled: late !== "" });
  const v = useVocabulary(late !== "");
  const newest = useQuery({ ...outcomes(), enabled: late !== "" });
  const close = () => {
    dialog.current?.close();
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur(); // it fades, with the field in it
  };
  const emptied = () => {
    setText("");
    setLate("");
    setAt(0);
  };
  const to = (path: string) => () => {
    close();
    go(path);
  };
  const wanted = text.trim().toLowerCase();
  const entries: Entry[] = pages
    .filter((p) => p.name.toLowerCase().includes(wanted))
    .map((p) => ({ id: `page-${p.path}`, what: "page", name: p.name, go: to(p.path) }));
  if ("keys help shortcuts".includes(wanted))
    entries.push({
      id: "help",
      what: "help",
      name: "Keys",
      go: () => {
        close();
        help();
      },
    });
  const data = late === text.trim() ? there.data : undefined;
  for (const d of data?.documents ?? []) {
    const path = pathOfDocument(d.kind, d.name);
    if (path) entries.push({ id: `${d.kind}-${d.name}`, what: d.kind, name: d.name, go: to(path) });
  }
  for (const w of data?.work ?? [])
    entries.push({ id: `work-${w.id}`, what: w.kind, name: titleOfWork(w), go: to(pathOfWork(w)) });
  for (const w of wanted.length >= 3 ? Object.keys(v?.words ?? {}).filter((x) => x.startsWith(wanted)) : [])
    entries.push({ id: `word-${w}`, what: "word", name: `${w}: ${v?.words[w]}`, go: close });
  const last = newest.data?.items.find((o) => o.state === "done");
  if (data && last && /[-_0-9]/.test(wanted) && !wanted.includes(" "))
    entries.push({
      id: "job",
      what: "job",
      name: `${text.trim()} in outcome ${last.id} of ${last.about}: why it waited`,
      go: to(`/outcomes/${last.id}?job=${encodeURIComponent(text.trim())}`),
    });
  const chosen = Math.min(at, entries.length - 1);
  const pressed = (e: KeyboardEvent) => {
    if (e.key === "ArrowDown") setAt(Math.min(chosen + 1, entries.length - 1));
    else if (e.key === "ArrowUp") setAt(Math.max(chosen - 1, 0));
    else if (e.key === "Enter") entries[chosen]?.go();
    else return;
    e.preventDefault();
  };
  useEffect(() => {
    document.getElementById(`go-${chosen}`)?.scrollIntoView({ block: "nearest" });
  }, [chosen]);
  return (
    <dialog ref={dialog} className="modal modal-top" aria-label="Go to" onClose={emptied}>
      <div className="modal-box mx-auto mt-16 w-full max-w-xl p-0">
        <input
          id="palette"
          className="input w-full rounded-b-none"
          placeholder="a page, a document, an outcome's number, a job's id, a word"
          aria-label="Go to a page, a document, an outcome, a job"
          role="combobox"
          aria-expanded={entries.length > 0}
          aria-controls="palette-list"
          aria-activedescendant={entries.length > 0 ? `go-${chosen}` : undefined}
          autoComplete="off"
          maxLength={120}
          value={text}
          onChange={(e) => {
            setText(e.target.value);
            setAt(0);
          }}
          onKeyDown={pressed}
        />
        <div
          id="palette-list"
          role="listbox"
          aria-label="what is found"
          className="max-h-80 overflow-y-auto py-1"
        >
          {entries.map((x, i) => (
            // biome-ignore lint/a11y/useKeyWithClickEvents: the field above has the keyboard
            <div
              key={x.id}
              id={`go-${i}`}
              role="option"
              tabIndex={-1}
              aria-selected={i === chosen}
              className={`flex cursor-pointer items-baseline gap-3 px-4 py-1.5 ${i === chosen ? "bg-base-300" : ""}`}
              onClick={x.go}
              onMouseMove={() => setAt(i)}
            >
              <span className="w-24 shrink-0 text-sm opacity-75">{x.what}</span>
              <span className="break-all">{x.name}</span>
            </div>
          ))}
        </div>
        {there.error && <p className="px-4 py-2 text-error text-sm">{there.error.message}</p>}
        {entries.length === 0 && <p className="px-4 py-3 text-sm opacity-80">Nothing has that name.</p>}
      </div>
      <form method="dialog" className="modal-backdrop">
        <button type="submit">close</button>
      </form>
    </dialog>
  );
}
