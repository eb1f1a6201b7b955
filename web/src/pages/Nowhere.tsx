import { Link } from "react-router";
import { useTitle } from "../parts/useTitle";

/** An address that is no page. */
export function Nowhere() {
  useTitle("No such page");
  return (
    <p className="py-8">
      There is no such page.{" "}
      <Link to="/" className="link">
        The Desk
      </Link>{" "}
      has everything.
    </p>
  );
}
