import { Link } from "react-router";

import { Answer, Digest, Empty, PageHead, Panel, When } from "../../ui/parts";
import { Lock } from "./Lock";
import { useKeys } from "./queries";

/** Which signing identities are there, can they sign now, and would one survive the loss of this service? */
export function KeysPage() {
  const keys = useKeys();
  return (
    <>
      <PageHead title="Signing identities">
        Private keys rest sealed in the service. One without a backup that was tried is a title that can be lost.
      </PageHead>
      <Panel title="Identities" flush>
        <Answer of={keys} rows={3}>
          {({ items }) =>
            items.length === 0 ? (
              <Empty command="bin/rampa key make NAME">There is no signing identity, so bundles stay unsigned. Make one:</Empty>
            ) : (
              <table className="rows">
                <thead>
                  <tr>
                    <th>Name</th>
                    <th className="wide">Kind</th>
                    <th className="wide">Certificate SHA-256</th>
                    <th>Valid until</th>
                    <th>Backed up</th>
                    <th>Lock</th>
                    <th className="number wide">Used</th>
                    <th className="wide">Last</th>
                  </tr>
                </thead>
                <tbody>
                  {items.map((k) => (
                    <tr key={k.name}>
                      <td>
                        <Link to={`/keys/${k.name}`}>
                          <b>{k.name}</b>
                        </Link>
                      </td>
                      <td className="tight wide">{k.kind}</td>
                      <td className="wide">
                        <Digest value={k.fingerprint} what="certificate fingerprint (SHA-256)" length={16} />
                      </td>
                      <td className="tight">{k.not_after.slice(0, 10)}</td>
                      <td className="tight">
                        {k.outside ? (
                          <span className="dim">by the key module</span>
                        ) : k.backed_at ? (
                          <When at={k.backed_at} />
                        ) : (
                          <span style={{ color: "var(--r-warning)" }}>▲ not backed up</span>
                        )}
                      </td>
                      <td className="tight">
                        <Lock of={k} />
                      </td>
                      <td className="number wide">{k.used}</td>
                      <td className="wide tight">{k.last_used_at ? <When at={k.last_used_at} /> : <span className="dim">never</span>}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )
          }
        </Answer>
      </Panel>
      {keys.data?.items.some((k) => k.warnings.length > 0) && (
        <div style={{ marginTop: 16 }}>
          <Panel title="What needs somebody">
            <ul className="findings" style={{ margin: 0, paddingLeft: 18 }}>
              {keys.data.items.flatMap((k) =>
                k.warnings.map((w) => (
                  <li key={k.name + w} style={{ marginBottom: 6 }}>
                    <span style={{ color: "var(--r-warning)" }}>▲</span>{" "}
                    <Link to={`/keys/${k.name}`} style={{ textDecoration: "underline" }}>
                      {k.name}
                    </Link>
                    : {w}
                  </li>
                )),
              )}
            </ul>
          </Panel>
        </div>
      )}
    </>
  );
}
