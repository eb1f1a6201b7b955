import { useEffect, useState } from "react";

interface Part {
  id: string;
  title: string;
}

/** The parts of a long page, which stay in sight, with the one that is read marked. */
export function Contents() {
  const [parts, setParts] = useState<Part[]>([]);
  const [at, setAt] = useState("");
  useEffect(() => {
    const page = document.querySelector(".page");
    if (!page) return;
    const look = () => {
      const list = [...page.querySelectorAll<HTMLElement>("section[id]")].flatMap((s) => {
        const title = s.querySelector("h2")?.textContent;
        return title ? [{ id: s.id, title }] : [];
      });
      setParts((old) => (old.map((p) => p.id).join() === list.map((p) => p.id).join() ? old : list));
    };
    const there = new MutationObserver(look);
    there.observe(page, { childList: true, subtree: true });
    look();
    return () => there.disconnect();
  }, []);
  useEffect(() => {
    const read = () => {
      const above = parts.filter(
        (p) => (document.getElementById(p.id)?.getBoundingClientRect().top ?? 1e9) < 140,
      );
      setAt(above.at(-1)?.id ?? "");
    };
    window.addEventListener("scroll", read, { passive: true });
    read();
    return () => window.removeEventListener("scroll", read);
  }, [parts]);
  useEffect(() => {
    const link = document.querySelector<HTMLElement>(`#contents [href="#${CSS.escape(at)}"]`);
    const row = link?.parentElement;
    if (link && row) row.scrollLeft = link.offsetLeft - row.offsetLeft - 40;
  }, [at]);
  if (parts.length < 4) return null;
  return (
    <nav
      id="contents"
      aria-label="Parts of this page"
      className="sticky top-0 z-10 -mx-4 mt-4 border-base-300 border-b bg-base-100 px-4"
    >
      <div className="flex gap-x-4 overflow-x-auto py-2 text-sm">
        {parts.map((p) => (
          <a
            key={p.id}
            href={`#${p.id}`}
            aria-current={p.id === at ? "location" : undefined}
            className={`whitespace-nowrap ${p.id === at ? "font-medium underline underline-offset-4" : "opacity-80 hover:underline"}`}
          >
            {p.title}
          </a>
        ))}
      </div>
    </nav>
  );
}
