import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { manifests } from "../../api/queries/templates";
import { Trouble, Waiting } from "../../parts/Section";
import { useAddress } from "../../parts/useAddress";

const save = (name: string, text: string) => {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "application/yaml" }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
};

/** In the address: the ceilings of no scenario; no scenario has this name. */
const nothing = "-";

/** The access kit, the template and a pod as it is made, to copy or download. */
export function Kit({ name, uses }: { name: string; uses: string[] }) {
  const { query, change } = useAddress();
  const asked = query.get("scenario") || uses[0] || nothing;
  const scenario = asked === nothing ? "" : asked;
  const found = useQuery(manifests(name, scenario));
  const [copied, setCopied] = useState("");
  const copy = async (what: string, text: string) => {
    await navigator.clipboard.writeText(text);
    setCopied(what);
  };
  return (
    <div>
      <div className="mb-4 flex flex-wrap items-center gap-3">
        <label className="flex items-center gap-2 text-sm">
          ceilings of
          <select
            id="ceilings"
            className="select select-sm w-auto"
            value={asked}
            onChange={(e) => change({ scenario: e.target.value })}
          >
            {uses.map((u) => (
              <option key={u}>{u}</option>
            ))}
            <option value={nothing}>no scenario (no quota)</option>
          </select>
        </label>
        {found.data && (
          <>
            <button type="button" className="btn btn-sm" onClick={() => copy("all", found.data.stream)}>
              {copied === "all" ? "Copied" : "Copy all"}
            </button>
            <button
              type="button"
              className="btn btn-sm"
              onClick={() => save(`${name}-kit.yaml`, found.data.stream)}
            >
              Download all
            </button>
            <button
              type="button"
              className="btn btn-sm"
              onClick={() => save("kustomization.yaml", found.data.kustomization)}
            >
              Download kustomization.yaml
            </button>
          </>
        )}
      </div>
      <p className="mb-4 text-sm opacity-80">
        The same on the command line:{" "}
        <code>
          tachyphor render {name}
          {scenario && ` --scenario ${scenario}`} | kubectl apply -f -
        </code>
      </p>
      {found.error && <Trouble error={found.error} />}
      {found.isLoading && <Waiting what="manifests" />}
      <div className="space-y-4">
        {found.data?.items.map((m) => (
          <details key={m.file} open={m.part === "kit"} data-manifest={m.file}>
            <summary className="cursor-pointer">
              <span className="font-medium font-mono text-sm">{m.file}</span>{" "}
              <span className="text-sm opacity-80">{m.for}</span>
            </summary>
            <div className="mt-1 flex gap-3 text-xs">
              <button type="button" className="link" onClick={() => copy(m.file, m.text)}>
                {copied === m.file ? "Copied" : "Copy"}
              </button>
              <button type="button" className="link" onClick={() => save(m.file, m.text)}>
                Download
              </button>
            </div>
            <pre
              // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by the keyboard
              tabIndex={0}
              className="mt-1 overflow-x-auto border border-base-300 bg-base-200 p-3 font-mono text-xs leading-5"
            >
              {m.text}
            </pre>
          </details>
        ))}
      </div>
    </div>
  );
}
