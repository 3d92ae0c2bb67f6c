import "./listing.css";

import { Button, FileButton, Select } from "@mantine/core";
import { useState } from "react";

import { bytes, capital } from "../../ui/format";
import { Failure } from "../../ui/parts";
import { type Picture, pictureAddress, type Rules, sendPicture } from "./queries";
import type { DraftInHand } from "./useListingDraft";

interface Props {
  title: string;
  hand: DraftInHand;
  rules: Rules;
  storefronts: string[];
}

/** The icon, and pictures by form of device: one source each, from which every storefront's size is made. */
export function PicturesPart({ title, hand, rules, storefronts }: Props) {
  const mine = rules.items.filter((r) => storefronts.includes(r.storefront));
  const forms = [...new Set(mine.flatMap((r) => Object.keys(r.pictures)))];
  const of = (form: string) => hand.draft!.pictures.filter((p) => p.device === form);
  const first = mine[0]?.storefront ?? "northquay";
  return (
    <div>
      <Shelf
        {...{ title, hand, rules }}
        form=""
        label="Icon"
        wanted={mine.map((r) => `${r.title} ${r.icon} px`).join(", ")}
        pictures={of("")}
        storefront={first}
      />
      {forms.map((form) => {
        const asking = mine.filter((r) => r.pictures[form]);
        const wanted = asking.map((r) => {
          const p = r.pictures[form]!;
          return `${r.title} ${p.fewest} to ${p.most} at ${p.width.toLocaleString("en")} x ${p.height.toLocaleString("en")} px`;
        });
        return (
          <Shelf
            key={form}
            {...{ title, hand, rules, form }}
            label={capital(form)}
            wanted={wanted.join(", ")}
            pictures={of(form)}
            storefront={asking[0]!.storefront}
          />
        );
      })}
    </div>
  );
}

interface ShelfProps {
  title: string;
  hand: DraftInHand;
  form: string;
  label: string;
  wanted: string;
  pictures: Picture[];
  storefront: string;
}

function Shelf({ title, hand, form, label, wanted, pictures, storefront }: ShelfProps) {
  return (
    <section style={{ borderTop: "1px solid var(--r-line)" }} aria-label={`Pictures: ${label}`}>
      <div className="listing-parts" style={{ border: 0, paddingBottom: 0, alignItems: "center" }}>
        <b>{label}</b> <span className="dim">{wanted}</span>
        <AddPictures {...{ title, hand, form, pictures }} />
      </div>
      <div className="picture-row">
        {pictures.length === 0 && <span className="dim">None yet. PNG, JPEG or WebP; larger than asked is fine.</span>}
        {pictures.map((p) => (
          <figure key={p.path}>
            <img src={pictureAddress(title, p.digest, storefront, form)} alt={p.path} loading="lazy" />
            <figcaption>
              {p.path.replace(/^pictures\//, "")}
              <br />
              {p.width.toLocaleString("en")} x {p.height.toLocaleString("en")} px, {bytes(p.size)}
            </figcaption>
            <Button size="compact-xs" variant="subtle" onClick={() => hand.set(p.path, [], null)} aria-label={`Take out ${p.path}`}>
              Take out
            </Button>
          </figure>
        ))}
      </div>
    </section>
  );
}

const ENDS: Record<string, string> = { "image/png": "png", "image/jpeg": "jpg", "image/webp": "webp" };

function AddPictures({ title, hand, form, pictures }: Omit<ShelfProps, "label" | "wanted" | "storefront">) {
  const [error, setError] = useState<unknown>(null);
  const [left, setLeft] = useState(0);
  const [language, setLanguage] = useState<string | null>(null);
  const add = async (files: File[]) => {
    setError(null);
    let number = pictures.length;
    for (const [at, file] of files.entries()) {
      setLeft(files.length - at);
      try {
        const made = await sendPicture(title, file);
        number += 1;
        const end = ENDS[file.type] ?? "png";
        const folder = language ? `${form}/${language}` : form;
        const path = form ? `pictures/${folder}/${number}-${plain(file.name)}.${end}` : `pictures/icon.${end}`;
        if (!form) for (const p of pictures) if (p.path !== path) hand.set(p.path, [], null);
        hand.set(path, [], made.digest);
      } catch (failure) {
        setError(failure);
      }
    }
    setLeft(0);
  };
  const button = { accept: "image/png,image/jpeg,image/webp", inputProps: { "aria-label": `Pictures for ${form || "the icon"}` } };
  return (
    <span style={{ marginLeft: "auto", display: "flex", gap: 8, alignItems: "center", flexWrap: "wrap" }}>
      {form && (
        <Select
          size="xs"
          w={130}
          aria-label="For which language"
          placeholder="every language"
          clearable
          data={hand.draft!.languages}
          value={language}
          onChange={setLanguage}
        />
      )}
      {form ? (
        <FileButton multiple {...button} onChange={(files) => void add(files)}>
          {(props) => (
            <Button {...props} size="xs" variant="default" loading={left > 0}>
              Add pictures
            </Button>
          )}
        </FileButton>
      ) : (
        <FileButton {...button} onChange={(file) => file && void add([file])}>
          {(props) => (
            <Button {...props} size="xs" variant="default" loading={left > 0}>
              {pictures.length ? "Replace" : "Add"}
            </Button>
          )}
        </FileButton>
      )}
      {error ? <Failure error={error} /> : null}
    </span>
  );
}

/** A file's name as a listing writes it. */
function plain(name: string): string {
  return (
    name
      .toLowerCase()
      .replace(/\.[a-z0-9]+$/, "")
      .replace(/^\d+-/, "")
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "")
      .slice(0, 48) || "picture"
  );
}
