import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { exploration, explorations } from "../api/queries/works";
import { Notice, Trouble, Waiting } from "../parts/Section";
import { Underway } from "../parts/Underway";
import { useAddress } from "../parts/useAddress";
import { useScenario } from "../parts/useScenario";
import { Why } from "../parts/Why";
import { Answer } from "./frontier/Answer";
import { Ask } from "./frontier/Ask";
import { Standing } from "./frontier/Standing";

/** What a design should be: its variants by delay and bill, and the one that keeps what it must for the least. */
export function Frontier() {
  const { query, change } = useAddress();
  const go = useNavigate();
  const { scenario, all, list, error, none } = useScenario("/frontier", "Frontier", explorations);
  if (error) return <Trouble error={error} />;
  if (none) {
    return (
      <Notice>
        There is no scenario yet to vary. Store one first: <code>tachyphor put my-design/</code>, or start
        with <code>tachyphor demo</code>.
      </Notice>
    );
  }
  if (!scenario || !all || !list) return <Waiting what="scenarios" />;
  const chosen = Number(query.get("id"));
  const found = list.find((w) => w.id === chosen) ?? list[0];
  const id = chosen || found?.id || 0;
  return (
    <>
      {id > 0 && <Why work={{ kind: "explorations", id }} />}
      <div className="mt-8 flex flex-wrap items-baseline justify-between gap-x-4">
        <h1 className="font-semibold text-2xl">Frontier</h1>
        <p className="text-sm opacity-80">
          variants of a scenario on the same draws: which keeps its aims for the least
        </p>
      </div>
      <Ask
        key={`${scenario} ${found?.id ?? 0}`}
        scenario={scenario}
        scenarios={all}
        earlier={list}
        shown={found}
        show={(w) => change({ id: w.id, v: "", all: "", why: "" })}
        asked={(w) => go(`/frontier/${w.about}?id=${w.id}`)}
      />
      {id > 0 ? (
        <Kept id={id} />
      ) : (
        <Notice>
          Nothing has been explored for {scenario} yet. Say what must be kept, and press <b>Explore</b>; the
          demo's week takes a quarter of a minute. The same on the command line:{" "}
          <code>tachyphor improve {scenario}</code>
        </Notice>
      )}
    </>
  );
}

/** One exploration: how it stands, or its answer. */
function Kept({ id }: { id: number }) {
  const found = useQuery(exploration(id));
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <Waiting what={`exploration ${id}`} />;
  const w = found.data;
  if (w.state === "failed") return <Trouble error={new Error(`Exploring failed: ${w.error}`)} />;
  if (w.state === "cancelled")
    return (
      <Notice>
        It was cancelled. What was run so far is kept: press Explore, and it goes on from there.
      </Notice>
    );
  if (!w.result)
    return (
      <Underway key={id} first={w} queryKey="explorations">
        {(now) => <Standing now={now} />}
      </Underway>
    );
  return <Answer key={id} id={id} a={w.result} pods={w.exploration?.pods} />;
}
