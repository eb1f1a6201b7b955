/** The name of a fact: of an image it may be long, and is broken where the window is small. */
export const Fact = ({ name }: { name: string }) => (
  <span className="inline-block min-w-32 max-w-40 break-all sm:max-w-none sm:break-normal">{name}</span>
);
