import { Button, Group, Menu } from "@mantine/core";
import { IconUser } from "@tabler/icons-react";
import { Suspense } from "react";
import { Link, Outlet, useLocation } from "react-router";

import { Mark } from "../../app/Mark";
import { PageFailure } from "../../app/PageFailure";
import { Loading } from "../../ui/parts";
import { useSession, useSignOut } from "../session/queries";

/** What stands around the desk for people who review and read nothing else of the studio. */
export function ReviewFrame() {
  const place = useLocation();
  const { data: session } = useSession();
  const signOut = useSignOut();
  return (
    <div style={{ maxWidth: 1180, margin: "0 auto", padding: "12px 16px 40px" }}>
      <Group component="header" justify="space-between" mb="md">
        <Link to="/reviews" style={{ display: "flex", gap: 8, alignItems: "center", fontWeight: 600, color: "inherit" }}>
          <Mark /> {session?.studio}
        </Link>
        <Menu position="bottom-end" withinPortal>
          <Menu.Target>
            <Button variant="subtle" color="gray" size="compact-sm" leftSection={<IconUser size={16} />}>
              {session?.person.name}
            </Button>
          </Menu.Target>
          <Menu.Dropdown>
            <Menu.Label>{session?.person.email}</Menu.Label>
            <Menu.Item component={Link} to="/studio">
              The studio's documents
            </Menu.Item>
            <Menu.Item component={Link} to="/account">
              Your account
            </Menu.Item>
            <Menu.Item onClick={() => signOut.mutate()}>Sign out</Menu.Item>
          </Menu.Dropdown>
        </Menu>
      </Group>
      <main>
        <PageFailure at={place.pathname}>
          <Suspense fallback={<Loading rows={6} />}>
            <Outlet />
          </Suspense>
        </PageFailure>
      </main>
    </div>
  );
}
