import { Link } from "react-router";

import { When } from "../../ui/parts";
import type { Feedback } from "./queries";
import { FeedbackState } from "./Words";

export function FeedbackRows({ title, items, build = true }: { title: string; items: Feedback[]; build?: boolean }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th className="number">No.</th>
          <th>State</th>
          <th>What was said</th>
          <th className="wide">By</th>
          <th className="wide">On</th>
          {build && <th>Build</th>}
          <th className="wide">When</th>
        </tr>
      </thead>
      <tbody>
        {items.map((f) => (
          <tr key={f.id}>
            <td className="number">{f.number}</td>
            <td className="tight">
              <FeedbackState of={f} />
            </td>
            <td className="path">
              <Link to={`/titles/${title}/feedback/${f.number}`}>{f.text.length > 120 ? `${f.text.slice(0, 120)} …` : f.text}</Link>
            </td>
            <td className="wide">{f.person}</td>
            <td className="wide">{f.device}</td>
            {build && (
              <td>
                <Link to={`/titles/${title}/builds/${f.build}`}>#{f.build}</Link>
              </td>
            )}
            <td className="wide tight">
              <When at={f.created_at} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
