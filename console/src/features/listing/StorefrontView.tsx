import "./listing.css";

import { Fact } from "../../ui/parts";
import type { Shown } from "./queries";

const WORDS: Record<string, string> = { support: "Support", privacy: "Privacy" };

/** A title's page as a simulated storefront draws it. */
export function StorefrontView({ shown }: { shown: Shown }) {
  if (!shown.seen)
    return (
      <div className="headline failed">
        {shown.storefront_title} does not show the title to those who read {shown.language}: its texts in that language are not whole.
      </div>
    );
  const name = shown.texts.name;
  return (
    <article className={`front ${shown.storefront} ${shown.form}`} aria-label={`${shown.storefront_title}, simulated`}>
      <div className="sign">
        {shown.storefront_title} <span className="simulated">simulated, on a {shown.form}</span>
      </div>
      <div className="body">
        <div className="top">
          {shown.icon ? <img src={shown.icon.address} alt="" /> : <span />}
          <div>
            <h2 lang={name?.language} dir="auto">
              {name?.value ?? "No name"}
            </h2>
            <div>
              {shown.studio}
              {shown.category && `, ${shown.category}`}
              {shown.rating && `, ${shown.rating}`}
            </div>
            <p className="short" lang={shown.texts.short?.language} dir="auto">
              {shown.texts.short?.value ?? "No short text"}
            </p>
          </div>
        </div>
        {shown.pictures.length > 0 && (
          <div className="pictures" tabIndex={0} role="region" aria-label="Pictures">
            {shown.pictures.map((p) => (
              <img key={p.path} src={p.address} alt={p.path} width={p.width} height={p.height} style={{ width: "auto" }} />
            ))}
          </div>
        )}
        {shown.pictures.length === 0 && <div>No pictures for a {shown.form}.</div>}
        <p className="long" lang={shown.texts.long?.language} dir="auto">
          {shown.texts.long?.value ?? "No long text"}
        </p>
        <dl className="facts">
          {Object.entries(shown.links).map(([link, address]) => (
            <Fact key={link} term={WORDS[link] ?? link}>
              <Outside address={address} />
            </Fact>
          ))}
          {shown.video && (
            <Fact term="Video">
              <Outside address={shown.video} />
            </Fact>
          )}
          <Fact term="Licence">{shown.licence || "not said"}</Fact>
        </dl>
      </div>
    </article>
  );
}

/** Somebody typed this address: it opens apart, and only where it is one of the web. */
function Outside({ address }: { address: string }) {
  if (!/^https?:\/\//.test(address)) return <>{address}</>;
  return (
    <a href={address} target="_blank" rel="noreferrer noopener">
      {address}
    </a>
  );
}
