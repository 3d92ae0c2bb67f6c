import { Link } from "react-router";

import { Empty, PageHead } from "../ui/parts";

export function Nowhere() {
  return (
    <>
      <PageHead title="There is no such page" />
      <Empty>
        The address may have a typing error, or what it named is gone. Start from <Link to="/">all titles</Link>.
      </Empty>
    </>
  );
}
