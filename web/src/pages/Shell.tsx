import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { Navigate, NavLink, Outlet, useLocation, useNavigate } from "react-router";
import { api, Problem } from "../api/client";
import { session } from "../api/queries/service";
import { Boundary } from "../parts/Boundary";
import { Command } from "../parts/Command";
import { pages } from "../parts/places";
import { Trouble, Waiting } from "../parts/Section";
import { usePageName } from "../parts/useTitle";
import { Palette } from "./Palette";
import { Tray } from "./Tray";

const keys: [string, string][] = [
  ["?", "show these keys"],
  ["/", "go to a page, a document, an outcome, a job by its name (or Ctrl-K)"],
  ...pages.map((p): [string, string] => [p.key, `go to ${p.name}`]),
  ["s", "simulate, on a scenario's page"],
];

/** The frame of every page: sign-in, the way to the others, keys. */
export function Shell() {
  const me = useQuery(session);
  const queries = useQueryClient();
  const go = useNavigate();
  const at = useLocation();
  const palette = useRef<HTMLDialogElement>(null);
  const name = usePageName();
  const help = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    const pressed = (e: KeyboardEvent) => {
      const at = e.target as HTMLElement;
      if ((e.ctrlKey || e.metaKey) && e.key === "k" && !at.closest("[contenteditable]")) {
        e.preventDefault();
        palette.current?.showModal();
        return;
      }
      if (
        e.ctrlKey ||
        e.metaKey ||
        e.altKey ||
        (at.closest("input, select, textarea, [contenteditable], dialog") &&
          !at.closest("dialog:not([open])"))
      )
        return;
      if (e.key === "?") help.current?.showModal();
      if (e.key === "/") {
        e.preventDefault();
        palette.current?.showModal();
      }
      const page = pages.find((p) => p.key === e.key);
      if (page) go(page.path);
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
      <header className="flex flex-wrap items-center gap-x-4 gap-y-1 border-base-300 border-b py-3">
        <NavLink to="/" className="flex items-center gap-2 font-semibold">
          <img src="/mark.svg" alt="" className="size-6" /> Tachyphor
        </NavLink>
        <nav className="flex flex-wrap gap-x-4 text-[0.94rem]" aria-label="Places">
          {pages
            .filter((p) => p.path !== "/service")
            .map((p) => (
              <NavLink key={p.path} to={p.path} end={p.path === "/"} className={link}>
                {p.name}
              </NavLink>
            ))}
        </nav>
        <div className="ml-auto flex gap-3 text-sm">
          <Tray />
          <button
            type="button"
            id="go"
            className="link link-hover"
            title="Ctrl-K or /"
            onClick={() => palette.current?.showModal()}
          >
            Go to
          </button>
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
          <Boundary key={at.pathname}>
            <Outlet />
          </Boundary>
        </div>
        <Command />
      </main>
      <Palette dialog={palette} help={() => help.current?.showModal()} />
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
