/** leave takes something away as a file. */
export function leave(href: string, name: string) {
  const link = document.createElement("a");
  link.href = href;
  link.download = name;
  link.click();
}

/** The ways in which a picture leaves. */
export function SaveAs({ what, save }: { what: string; save: (form: "png" | "svg") => void }) {
  return (
    <p className="text-right text-xs print:hidden">
      {(["png", "svg"] as const).map((form) => (
        <button
          key={form}
          type="button"
          className="link ml-2 opacity-80"
          aria-label={`Save as ${form.toUpperCase()}: ${what}`}
          onClick={() => save(form)}
        >
          {form}
        </button>
      ))}
    </p>
  );
}
