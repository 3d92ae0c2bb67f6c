import "./document.css";
/** A unified diff: what came and what went, by sign and by colour. */
export function Difference({ text }: { text: string }) {
  if (!text)
    return (
      <p className="dim" style={{ padding: "0 14px" }}>
        The texts are the same.
      </p>
    );
  return (
    <pre className="mono difference" tabIndex={0} aria-label="Difference of the texts">
      {text
        .split("\n")
        .slice(2)
        .map((line, i) => (
          <div
            key={i}
            className={line.startsWith("+") ? "came" : line.startsWith("-") ? "went" : line.startsWith("@") ? "place" : undefined}
          >
            {line || " "}
          </div>
        ))}
    </pre>
  );
}
