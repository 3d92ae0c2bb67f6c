import { IconBroadcast, IconCertificate, IconDatabase, IconDeviceLaptop, IconFileText, IconGitBranch, IconGridDots, IconHistory, IconKey, IconListCheck, IconNumbers, IconPackage, IconPhoto, IconPlayerPlay, IconServer, IconStack, IconStack2, IconTable, IconTrendingUp, IconUsers, IconVariable } from "@tabler/icons-react";
import type { ReactNode } from "react";
import { NavLink, useMatch } from "react-router";

import { useChannels } from "../features/channels/queries";
import { capital } from "../ui/format";
import { useTitles } from "../features/titles/queries";

const SIZE = 16;

export function Nav() {
  const title = useMatch("/titles/:title/*")?.params.title;
  const { data: titles } = useTitles();
  const name = titles?.items.find((t) => t.slug === title)?.name ?? title;
  return (
    <nav className="nav" aria-label="Pages">
      <Item to="/" icon={<IconStack2 size={SIZE} />} end>
        Titles
      </Item>
      {title && (
        <>
          <div className="group">{name}</div>
          <Item to={`/titles/${title}`} icon={<IconTrendingUp size={SIZE} />} end>
            Ramp
          </Item>
          <Item to={`/titles/${title}/source`} icon={<IconGitBranch size={SIZE} />}>
            Source
          </Item>
          <Item to={`/titles/${title}/runs`} icon={<IconPlayerPlay size={SIZE} />}>
            Runs
          </Item>
          <Item to={`/titles/${title}/builds`} icon={<IconPackage size={SIZE} />}>
            Builds
          </Item>
          <Item to={`/titles/${title}/updates`} icon={<IconGridDots size={SIZE} />}>
            Update cost
          </Item>
          <Channels title={title} />
          <Item to={`/titles/${title}/devices`} icon={<IconDeviceLaptop size={SIZE} />}>
            Devices
          </Item>
          <Item to={`/titles/${title}/versions`} icon={<IconNumbers size={SIZE} />}>
            Version codes
          </Item>
          <Item to={`/titles/${title}/grants`} icon={<IconCertificate size={SIZE} />}>
            Grants
          </Item>
          <Item to={`/titles/${title}/profiles`} icon={<IconTable size={SIZE} />}>
            Profiles
          </Item>
          <Item to={`/titles/${title}/check`} icon={<IconListCheck size={SIZE} />}>
            Findings
          </Item>
          <Item to={`/titles/${title}/document`} icon={<IconFileText size={SIZE} />}>
            Profile document
          </Item>
          <Item to={`/titles/${title}/pictures`} icon={<IconPhoto size={SIZE} />}>
            Pictures
          </Item>
        </>
      )}
      <div className="group">Studio</div>
      <Item to="/queue" icon={<IconStack size={SIZE} />}>
        Queue
      </Item>
      <Item to="/agents" icon={<IconServer size={SIZE} />}>
        Agents
      </Item>
      <Item to="/variables" icon={<IconVariable size={SIZE} />}>
        Step variables
      </Item>
      <Item to="/store" icon={<IconDatabase size={SIZE} />}>
        Content store
      </Item>
      <Item to="/keys" icon={<IconKey size={SIZE} />}>
        Signing identities
      </Item>
      <Item to="/people" icon={<IconUsers size={SIZE} />}>
        People
      </Item>
      <Item to="/events" icon={<IconHistory size={SIZE} />}>
        Events
      </Item>
    </nav>
  );
}

function Channels({ title }: { title: string }) {
  const { data } = useChannels(title);
  return (data?.items ?? []).map((channel) => (
    <Item key={channel.name} to={`/titles/${title}/channels/${channel.name}`} icon={<IconBroadcast size={SIZE} />}>
      {capital(channel.name)} channel
    </Item>
  ));
}

function Item({ to, icon, end, children }: { to: string; icon: ReactNode; end?: boolean; children: ReactNode }) {
  return (
    <NavLink to={to} end={end}>
      {icon}
      {children}
    </NavLink>
  );
}
