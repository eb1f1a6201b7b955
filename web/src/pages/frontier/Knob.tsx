/** A knob's name, which may break between its words but not too often. */
export const Knob = ({ name }: { name: string }) => <div className="min-w-36">{name}</div>;
