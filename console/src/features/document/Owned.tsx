import "./document.css";
/** Where the document lives when the service does not own it. */
export function Owned({ source, path }: { source: string; path: string }) {
  if (!source) return null;
  return (
    <div className="banner" role="note">
      <span>
        This document lives in <b className="mono">{source}</b> at <b className="mono">{path}</b>, and is read-only here. Edit a copy,
        download it, and put it there; <code className="mono">bin/rampa title import FOLDER --commit SHA</code> brings it back.
      </span>
    </div>
  );
}

export function download(name: string, text: string | Blob): void {
  const address = URL.createObjectURL(text instanceof Blob ? text : new Blob([text], { type: "application/toml" }));
  const link = Object.assign(document.createElement("a"), { href: address, download: name });
  link.click();
  setTimeout(() => URL.revokeObjectURL(address), 1000);
}
