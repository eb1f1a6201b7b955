import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";
import { Problem } from "../api/client";
import { scenario, scenarioText } from "../api/queries/documents";
import { Trouble, Waiting } from "../parts/Section";
import { useTitle } from "../parts/useTitle";
import { Design } from "./scenario/Design";
import { keptText } from "./scenario/useText";

/** A design in one page: all its fields, the document beside them, what changed, and what one run says of it. */
export function Scenario() {
  const { name = "" } = useParams();
  return <Named key={name} name={name} />;
}

function Named({ name }: { name: string }) {
  useTitle(name);
  const [fresh] = useState(() => keptText(name)?.base === 0);
  const [made, setMade] = useState(false);
  const asked = !fresh || made;
  const found = useQuery({ ...scenario(name), enabled: asked });
  const document = useQuery({ ...scenarioText(name), enabled: asked });
  const unknown = !asked || (found.error instanceof Problem && found.error.status === 404);
  if (found.error && !(unknown && keptText(name))) return <Trouble error={found.error} />;
  if (document.error && !unknown) return <Trouble error={document.error} />;
  if (!unknown && (!found.data || !document.data)) return <Waiting what={`scenario ${name}`} />;
  return (
    <Design
      name={name}
      known={found.data}
      stored={unknown ? undefined : document.data}
      made={() => setMade(true)}
    />
  );
}
