import type { DragEvent, ReactNode } from "react";

/** onDrop takes a file that is dropped on something. */
export const onDrop = (take: (file: File) => unknown) => ({
  onDragOver: (e: DragEvent) => e.preventDefault(),
  onDrop: (e: DragEvent) => {
    e.preventDefault();
    const file = e.dataTransfer.files[0];
    if (file) take(file);
  },
});

/** A place to drop a log of jobs on, or to choose one; the same one, mended, can be chosen again. */
export function DropLog({
  log,
  take,
  children,
}: {
  log: File | null;
  take: (file: File) => unknown;
  children?: ReactNode;
}) {
  return (
    <label
      htmlFor="log"
      {...onDrop(take)}
      className="block cursor-pointer border border-base-content/40 border-dashed bg-base-200 px-4 py-5"
    >
      <span className="font-medium">
        {log ? `${log.name}; drop another, or choose one` : "Drop a log here, or choose one"}
      </span>
      <input
        id="log"
        type="file"
        className="file-input file-input-sm ml-4 max-w-full"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) take(file);
          e.target.value = "";
        }}
      />
      {children && <span className="mt-2 block text-sm opacity-85">{children}</span>}
    </label>
  );
}
