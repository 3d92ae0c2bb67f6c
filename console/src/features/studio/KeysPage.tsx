import { useQuery } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";
import { Answer, Digest, Empty, PageHead, Panel, When } from "../../ui/parts";

/** Which signing identities does the studio have? */
export function KeysPage() {
  const keys = useQuery({ queryKey: ["keys"], queryFn: () => call<Schemas["Page_Key_"]>("/keys") });
  return (
    <>
      <PageHead title="Signing identities">
        Private keys rest sealed in the service and are never shown. Keep your own PKCS#12 copy in a safe.
      </PageHead>
      <Panel title="Identities" flush>
        <Answer of={keys} rows={2}>
          {({ items }) =>
            items.length === 0 ? (
              <Empty command="bin/rampa key make NAME">There is no signing identity, so bundles stay unsigned. Make one:</Empty>
            ) : (
              <table className="rows">
                <thead>
                  <tr>
                    <th>Name</th>
                    <th className="wide">Kind</th>
                    <th className="wide">Subject</th>
                    <th>Certificate SHA-256</th>
                    <th className="wide">Valid until</th>
                    <th className="number">Signatures</th>
                    <th className="wide">Added</th>
                  </tr>
                </thead>
                <tbody>
                  {items.map((k) => (
                    <tr key={k.name}>
                      <td>
                        <b>{k.name}</b>
                      </td>
                      <td className="tight wide">{k.kind}</td>
                      <td className="wide">{k.subject}</td>
                      <td>
                        <Digest value={k.fingerprint} what="certificate fingerprint" length={16} />
                      </td>
                      <td className="tight wide">{k.not_after.slice(0, 10)}</td>
                      <td className="number">{k.used}</td>
                      <td className="wide tight">
                        <When at={k.created_at} /> <span className="dim">by {k.created_by}</span>
                      </td>
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
