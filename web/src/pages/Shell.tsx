import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { Navigate, NavLink, Outlet, useNavigate } from "react-router";
import { api, Problem } from "../api/client";
import { session } from "../api/queries";
import { Trouble, Waiting } from "../parts/Section";
import { usePageName } from "../parts/useTitle";

const keys: [string, string][] = [
  ["?", "show these keys"],
  ["d", "go to the Desk"],
  ["t", "go to Templates"],
  ["w", "go to Caching"],
  ["f", "go to Frontier"],
  ["c", "go to Compare"],
  ["l", "go to Learn"],
  ["v", "go to Live"],
  ["b", "go to Backtest"],
  ["a", "go to the week ahead"],
  ["o", "go to Service: people, tokens, records"],
  ["s", "simulate, on a scenario's page"],
];

/** The frame of every page: sign-in, the way to the others, keys. */
export function Shell() {
  const me = useQuery(session);
  const queries = useQueryClient();
  const go = useNavigate();
  const name = usePageName();
  const help = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    const pressed = (e: KeyboardEvent) => {
      const at = e.target as HTMLElement;
      if (e.ctrlKey || e.metaKey || e.altKey || at.closest("input, select, textarea, [contenteditable]"))
        return;
      if (e.key === "?") help.current?.showModal();
      if (e.key === "d") go("/");
      if (e.key === "t") go("/templates");
      if (e.key === "w") go("/caching");
      if (e.key === "f") go("/frontier");
      if (e.key === "c") go("/compare");
      if (e.key === "l") go("/learn");
      if (e.key === "v") go("/live");
      if (e.key === "b") go("/backtest");
      if (e.key === "a") go("/ahead");
      if (e.key === "o") go("/service");
    };
    document.addEventListener("keydown", pressed);
    return () => document.removeEventListener("keydown", pressed);
  }, [go]);
  if (me.error instanceof Problem && me.error.status === 401) return <Navigate to="/welcome" replace />;
  if (me.error) return <Trouble error={me.error} />;
  if (!me.data) return <Waiting what="the console" />;
  const signOut = async () => {
    await api.DELETE("/api/v1/session");
    queries.clear();
    go("/welcome");
  };
  const link = ({ isActive }: { isActive: boolean }) =>
    `py-1 ${isActive ? "border-primary border-b-2 font-medium" : "hover:underline"}`;
  return (
    <div className="mx-auto max-w-6xl px-4 pb-16">
      <header className="flex flex-wrap items-center gap-x-6 gap-y-1 border-base-300 border-b py-3">
        <NavLink to="/" className="flex items-center gap-2 font-semibold">
          <img src="/mark.svg" alt="" className="size-6" /> Tachyphor
        </NavLink>
        <nav className="flex flex-wrap gap-x-5" aria-label="Places">
          <NavLink to="/" end className={link}>
            Desk
          </NavLink>
          <NavLink to="/templates" className={link}>
            Templates
          </NavLink>
          <NavLink to="/caching" className={link}>
            Caching
          </NavLink>
          <NavLink to="/frontier" className={link}>
            Frontier
          </NavLink>
          <NavLink to="/compare" className={link}>
            Compare
          </NavLink>
          <NavLink to="/learn" className={link}>
            Learn
          </NavLink>
          <NavLink to="/live" className={link}>
            Live
          </NavLink>
          <NavLink to="/backtest" className={link}>
            Backtest
          </NavLink>
          <NavLink to="/ahead" className={link}>
            Week ahead
          </NavLink>
        </nav>
        <div className="ml-auto flex gap-4 text-sm">
          <button type="button" className="link link-hover" onClick={() => help.current?.showModal()}>
            Keys
          </button>
          <NavLink to="/service" className="link link-hover" title={`${me.data.name}, ${me.data.role}`}>
            Service
          </NavLink>
          <button type="button" className="link link-hover" onClick={signOut}>
            Sign out
          </button>
        </div>
      </header>
      <main>
        <h1 className="page-name sr-only">{name}</h1>
        <div className="page">
          <Outlet />
        </div>
      </main>
      <dialog ref={help} className="modal" aria-label="Keys">
        <div className="modal-box">
          <h2 className="mb-3 font-semibold text-lg">Keys</h2>
          <dl className="grid grid-cols-[3rem_1fr] gap-y-2">
            {keys.map(([key, does]) => (
              <div key={key} className="contents">
                <dt>
                  <kbd className="kbd kbd-sm">{key}</kbd>
                </dt>
                <dd>{does}</dd>
              </div>
            ))}
          </dl>
          <form method="dialog" className="mt-4">
            <button type="submit" className="btn btn-sm">
              Close
            </button>
          </form>
        </div>
      </dialog>
    </div>
  );
}
