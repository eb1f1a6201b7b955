import { useQuery } from "@tanstack/react-query";
import { session } from "../api/queries/service";
import { Waiting } from "../parts/Section";
import { useTitle } from "../parts/useTitle";
import { Audit } from "./service/Audit";
import { People, roles } from "./service/People";
import { Records } from "./service/Records";
import { WaysIn } from "./service/WaysIn";

/** Who may do what here, what was done, and what is kept. */
export function Service() {
  useTitle("Service");
  const me = useQuery(session);
  if (!me.data) return <Waiting what="the service" />;
  const owner = me.data.role === "owner";
  return (
    <>
      <h1 className="mt-6 font-semibold text-2xl">Service</h1>
      <p id="me" className="mt-1">
        You are {me.data.name}. Your role, {me.data.role}, {roles.find((r) => r.role === me.data.role)?.may}.
        Version {me.data.version}.
      </p>
      {owner && <People me={me.data.name} />}
      <WaysIn me={me.data} />
      {owner && <Records />}
      {owner && <Audit />}
    </>
  );
}
