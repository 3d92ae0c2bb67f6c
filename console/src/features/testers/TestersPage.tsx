import { Button } from "@mantine/core";
import { Link, NavLink, useNavigate, useParams } from "react-router";

import { Answer, PageHead, Panel } from "../../ui/parts";
import { useTitle } from "../titles/queries";
import { Groups } from "./Groups";
import { Invitations } from "./Invitations";
import { InviteDialogue } from "./InviteDialogue";
import { People } from "./People";
import { useGroups } from "./queries";
import "./testers.css";

/** Who tests this title, and what do they have? */
export function TestersPage({ part = "people", inviting = false }: { part?: "people" | "groups" | "invitations"; inviting?: boolean }) {
  const { title = "" } = useParams();
  const { data: found } = useTitle(title);
  const groups = useGroups(title);
  const go = useNavigate();
  const at = `/titles/${title}/testers`;
  return (
    <>
      <PageHead
        title={`Testers of ${found?.name ?? title}`}
        aside={
          <>
            <Button variant="default" component={Link} to="/testing">
              What testers see
            </Button>
            {groups.data && groups.data.items.length > 0 && (
              <Button component={Link} to={`${at}/invite`} variant="filled">
                Invite testers …
              </Button>
            )}
          </>
        }
      >
        They install from the channels that their groups are given, on devices of their own, and see nothing else of the studio.
      </PageHead>
      <nav className="parts" aria-label="Parts of this page">
        <NavLink to={at} end className={({ isActive }) => (isActive || inviting ? "active" : "")}>
          People
        </NavLink>
        <NavLink to={`${at}/groups`}>Groups</NavLink>
        <NavLink to={`${at}/invitations`}>Invitations</NavLink>
      </nav>
      {part === "people" && <People title={title} />}
      {part === "invitations" && <Invitations title={title} />}
      {part === "groups" && (
        <Panel title="Groups" flush>
          <Answer of={groups} rows={3}>
            {({ items }) => <Groups title={title} groups={items} />}
          </Answer>
        </Panel>
      )}
      {inviting && groups.data && <InviteDialogue title={title} groups={groups.data.items} close={() => void go(at)} />}
    </>
  );
}
