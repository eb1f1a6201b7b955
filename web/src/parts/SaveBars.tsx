import type { BarRow } from "./barsPicture";
import { leave, SaveAs } from "./SaveAs";

/** Takes bars away as a picture, as charts are. */
export function SaveBars({ title, rows, whole }: { title: string; rows: BarRow[]; whole: number }) {
  const save = async (form: "png" | "svg") => {
    const { picture } = await import("./barsPicture");
    leave(picture(title, rows, whole, form), `${title.replaceAll(/\W+/g, "-")}.${form}`);
  };
  return <SaveAs what={title} save={(form) => void save(form)} />;
}
