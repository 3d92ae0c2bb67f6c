import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { plural } from "../../ui/format";
import { Answer, Empty, PageHead, Panel, When } from "../../ui/parts";
import { Platform } from "../profiles/Platform";

/** Which devices follow which channel, and what do they have? */
export function DevicesPage() {
  const { title = "" } = useParams();
  const devices = useQuery({
    queryKey: ["devices", title],
    queryFn: () => call<Schemas["Page_Device_"]>(`/titles/${title}/devices`),
    refetchInterval: 8_000,
  });
  return (
    <>
      <PageHead title="Devices">Simulated devices are folders on somebody&apos;s machine; they install for real and say so.</PageHead>
      <Panel title="Registered devices" aside={devices.data && plural(devices.data.items.length, "device")} flush>
        <Answer of={devices}>
          {({ items }) =>
            items.length === 0 ? (
              <Empty command="bin/rampa device add FOLDER --channel studio">No device is registered. Add a simulated one:</Empty>
            ) : (
              <table className="rows">
                <thead>
                  <tr>
                    <th>Device</th>
                    <th>Platform</th>
                    <th>Follows</th>
                    <th>Has</th>
                    <th>Last seen</th>
                    <th className="wide">Registered by</th>
                  </tr>
                </thead>
                <tbody>
                  {items.map((d) => (
                    <tr key={d.name}>
                      <td>
                        {d.name} {d.simulated && <span className="dim">simulated</span>}
                      </td>
                      <td>
                        <Platform name={d.platform} />
                      </td>
                      <td>
                        <Link to={`/titles/${title}/channels/${d.channel}`}>{d.channel}</Link>
                      </td>
                      <td>
                        {d.build ? (
                          <Link to={`/titles/${title}/builds/${d.build}`}>#{d.build}</Link>
                        ) : (
                          <span className="dim">nothing yet</span>
                        )}
                      </td>
                      <td>{d.last_seen_at ? <When at={d.last_seen_at} /> : <span className="dim">never</span>}</td>
                      <td className="wide">{d.registered_by}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )
          }
        </Answer>
      </Panel>
    </>
  );
}
