import { Button } from "@mantine/core";
import { Link } from "react-router";

/** Whoever tests sees nothing else of the studio, whatever address they open. */
export function NotForTesters() {
  return (
    <>
      <h1>This page is the studio&apos;s</h1>
      <p>What you are asked to test stands on your own page.</p>
      <Button component={Link} to="/testing" variant="filled">
        To test
      </Button>
    </>
  );
}
