import { useLocalStorage } from "@mantine/hooks";
import {
  IconBroadcast,
  IconBug,
  IconBuildingStore,
  IconBuildingWarehouse,
  IconCalendar,
  IconCertificate,
  IconDatabase,
  IconDeviceLaptop,
  IconFileText,
  IconGavel,
  IconGitBranch,
  IconGridDots,
  IconHistory,
  IconKey,
  IconLayoutBoard,
  IconListCheck,
  IconMessage,
  IconNumbers,
  IconPackage,
  IconPackages,
  IconPhoto,
  IconPlayerPlay,
  IconRoute,
  IconSend,
  IconServer,
  IconStack,
  IconTable,
  IconTrendingUp,
  IconUserCheck,
  IconUsers,
  IconVariable,
} from "@tabler/icons-react";
import { type ComponentType, type ReactNode, useEffect } from "react";
import { NavLink, useMatch } from "react-router";

import { useTitles } from "../features/titles/queries";

/** The menu follows the way of the work: how a title is set, made, cut, released. */
export function Nav() {
  const title = useChosenTitle();
  const at = `/titles/${title}`;
  return (
    <nav className="nav" aria-label="Pages">
      <Item to="/" icon={IconLayoutBoard} end>
        Board
      </Item>
      {title && (
        <>
          <TitleName title={title} />
          <Section name="Settings">
            <Item to={`${at}/profiles`} icon={IconTable}>
              Profiles
            </Item>
            <Item to={`${at}/check`} icon={IconListCheck}>
              Findings
            </Item>
            <Item to={`${at}/document`} icon={IconFileText}>
              Profile document
            </Item>
            <Item to={`${at}/pictures`} icon={IconPhoto}>
              Pictures
            </Item>
          </Section>
          <Section name="Making">
            <Item to={`${at}/source`} icon={IconGitBranch}>
              Source
            </Item>
            <Item to={`${at}/runs`} icon={IconPlayerPlay}>
              Runs
            </Item>
            <Item to={`${at}/builds`} icon={IconPackage}>
              Builds
            </Item>
            <Item to={`${at}/versions`} icon={IconNumbers}>
              Version codes
            </Item>
            <Item to="/keys" icon={IconKey}>
              Signing identities
            </Item>
          </Section>
          <Section name="Content">
            <Item to={`${at}/updates`} icon={IconGridDots}>
              Update cost
            </Item>
            <Item to={`${at}/delivery`} icon={IconRoute}>
              Delivery
            </Item>
            <Item to="/store" icon={IconDatabase}>
              Content store
            </Item>
          </Section>
          <Section name="Release">
            <Item to={at} icon={IconTrendingUp} end>
              Ramp
            </Item>
            <Item to={`${at}/channels`} icon={IconBroadcast}>
              Channels
            </Item>
            <Item to={`${at}/releases`} icon={IconPackages}>
              Releases
            </Item>
            <Item to={`${at}/listing`} icon={IconBuildingStore}>
              Listing
            </Item>
            <Item to={`${at}/submissions`} icon={IconSend}>
              Submissions
            </Item>
            <Item to="/reviews" icon={IconGavel}>
              Review desk
            </Item>
            <Item to={`${at}/crashes`} icon={IconBug}>
              Crashes
            </Item>
            <Item to={`${at}/testers`} icon={IconUserCheck}>
              Testers
            </Item>
            <Item to={`${at}/feedback`} icon={IconMessage}>
              Feedback
            </Item>
            <Item to={`${at}/devices`} icon={IconDeviceLaptop}>
              Devices
            </Item>
            <Item to={`${at}/grants`} icon={IconCertificate}>
              Grants
            </Item>
          </Section>
        </>
      )}
      <Section name="Studio">
        {!title && (
          <>
            <Item to="/keys" icon={IconKey}>
              Signing identities
            </Item>
            <Item to="/store" icon={IconDatabase}>
              Content store
            </Item>
          </>
        )}
        <Item to="/queue" icon={IconStack}>
          Queue
        </Item>
        <Item to="/agents" icon={IconServer}>
          Agents
        </Item>
        <Item to="/variables" icon={IconVariable}>
          Step variables
        </Item>
        <Item to="/storefronts" icon={IconBuildingWarehouse}>
          Storefronts
        </Item>
        <Item to="/calendar" icon={IconCalendar}>
          Calendar
        </Item>
        <Item to="/people" icon={IconUsers}>
          People
        </Item>
        <Item to="/events" icon={IconHistory}>
          Events
        </Item>
      </Section>
    </nav>
  );
}

/** The title of the page; on a page of the studio, the one that was open last. */
function useChosenTitle(): string | undefined {
  const open = useMatch("/titles/:title/*")?.params.title;
  const { data: titles } = useTitles();
  const [last, keep] = useLocalStorage({ key: "rampa.title", defaultValue: "", getInitialValueInEffect: false });
  useEffect(() => {
    if (open && titles?.items.some((t) => t.slug === open)) keep(open);
  }, [open, titles, keep]);
  return open ?? titles?.items.find((t) => t.slug === last)?.slug;
}

function TitleName({ title }: { title: string }) {
  const { data: titles } = useTitles();
  return <div className="title">{titles?.items.find((t) => t.slug === title)?.name ?? title}</div>;
}

/** What is folded stays folded, on this machine. */
function Section({ name, children }: { name: string; children: ReactNode }) {
  const [folded, fold] = useLocalStorage({ key: `rampa.menu.${name}`, defaultValue: false, getInitialValueInEffect: false });
  return (
    <section>
      <button type="button" className="group" aria-expanded={!folded} onClick={() => fold(!folded)}>
        <span aria-hidden>{folded ? "▸" : "▾"}</span> {name}
      </button>
      {!folded && children}
    </section>
  );
}

interface ItemProps {
  to: string;
  icon: ComponentType<{ size: number }>;
  end?: boolean;
  children: ReactNode;
}

function Item({ to, icon: Icon, end, children }: ItemProps) {
  return (
    <NavLink to={to} end={end}>
      <Icon size={15} />
      {children}
    </NavLink>
  );
}
