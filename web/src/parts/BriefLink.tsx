/** The way to a page for who was not there: of an exploration, a weighing, or outcomes. */
export const BriefLink = ({ ids }: { ids: number[] }) => (
  <a
    className="link"
    data-brief
    href={`/api/v1/brief?ids=${ids.join(",")}&form=html`}
    target="_blank"
    rel="noreferrer"
  >
    Brief for people who were not there
  </a>
);
