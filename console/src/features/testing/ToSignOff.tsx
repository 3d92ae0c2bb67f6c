import { Button } from "@mantine/core";
import { Link } from "react-router";

import { useOwnSignOffs } from "./signOffs";
import "./testing.css";

/** The checklists of a build, and how far one is with each. */
export function ToSignOff({ title, channel, build }: { title: string; channel: string; build: string }) {
  const mine = useOwnSignOffs(title, channel, build);
  if (!mine.data?.items.length) return null;
  return (
    <section className="card">
      <h2>Play it, then say what you saw</h2>
      {mine.data.items.map((own) => {
        const ticked = own.ticks.filter((t) => t.verdict).length;
        const of = own.checklist.points.length;
        const said = own.state === "finished" ? "finished" : own.state ? `${ticked} of ${of} ticked` : `${of} points`;
        return (
          <Button
            key={own.checklist.name}
            className="big"
            component={Link}
            to={`/install/${title}/${channel}/${build}/sign-off/${own.checklist.name}`}
            variant="default"
            fullWidth
          >
            {own.checklist.title}, {said}
          </Button>
        );
      })}
    </section>
  );
}
