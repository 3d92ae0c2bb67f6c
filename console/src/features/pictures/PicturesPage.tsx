import "./pictures.css";

import { Button, ColorInput, FileInput, SegmentedControl } from "@mantine/core";
import { useMutation } from "@tanstack/react-query";
import { zipSync } from "fflate";
import { useState } from "react";
import { useParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { bytes } from "../../ui/format";
import { Empty, Failure, Loading, PageHead, Panel, SeverityMark } from "../../ui/parts";
import { download } from "../document/Owned";
import { useTitle } from "../titles/queries";
import { base64, unbase64 } from "./encoding";
import { useSetting } from "./useSetting";

type Made = Schemas["PicturesOut"];
type Picture = Schemas["PictureFileOut"];

/** How does one large picture look as every icon that the platforms want? */
export function PicturesPage() {
  const { title = "" } = useParams();
  const { data: found } = useTitle(title);
  const said = useSetting(title, "pictures.icon_background");
  const [file, setFile] = useState<File | null>(null);
  const [use, setUse] = useState("icon");
  const [chosen, setBackground] = useState("");
  const background = chosen || said || "#000000";
  const make = useMutation({
    mutationFn: async (asked: { file: File; use: string; background: string }) =>
      call<Made>("/pictures/sets", {
        method: "POST",
        body: { data: base64(await asked.file.arrayBuffer()), use: asked.use, background: asked.background },
      }),
  });
  const run = (next: { file?: File | null; use?: string; background?: string }) => {
    const asked = { file: next.file ?? file, use: next.use ?? use, background: next.background ?? background };
    if (asked.file && /^#[0-9a-fA-F]{6}$/.test(asked.background)) make.mutate({ ...asked, file: asked.file });
  };
  return (
    <>
      <PageHead
        title={`Pictures of ${found?.name ?? title}`}
        aside={
          make.data && (
            <Button size="xs" variant="filled" onClick={() => save(make.data!, title)}>
              Download all sets
            </Button>
          )
        }
      >
        From one picture of 1024 px or more, the set of every platform, at real size.
      </PageHead>
      <div className="filters">
        <FileInput
          size="xs"
          w={280}
          label="Picture"
          placeholder="Choose a picture"
          accept="image/*"
          clearable
          clearButtonProps={{ "aria-label": "Another picture" }}
          value={file}
          onChange={(f) => {
            setFile(f);
            run({ file: f });
          }}
        />
        <div>
          <div style={{ fontSize: 12 }} id="pictures-use">
            What for
          </div>
          <SegmentedControl
            size="xs"
            aria-labelledby="pictures-use"
            value={use}
            onChange={(v) => {
              setUse(v);
              run({ use: v });
            }}
            data={[
              { value: "icon", label: "Icons" },
              { value: "opening", label: "Opening picture" },
            ]}
          />
        </div>
        <ColorInput
          size="xs"
          w={170}
          label="Behind transparency"
          value={background}
          onChange={setBackground}
          onChangeEnd={(v) => run({ background: v })}
          eyeDropperButtonProps={{ "aria-label": "Pick a colour from the screen" }}
        />
      </div>
      {make.error && (
        <Panel title="This picture cannot be used">
          <Failure error={make.error} />
        </Panel>
      )}
      {make.isPending && (
        <Panel title="Making the sets">
          <Loading rows={6} />
        </Panel>
      )}
      {!make.data && !make.error && !make.isPending && (
        <Panel title="No picture yet">
          <Empty command="bin/rampa picture make PICTURE --to FOLDER">
            Choose a picture above. Nothing is stored: the sets come back to be looked at and downloaded.
          </Empty>
        </Panel>
      )}
      {make.data && !make.isPending && <Sets made={make.data} />}
    </>
  );
}

function Sets({ made }: { made: Made }) {
  return (
    <div style={{ display: "grid", gap: 16 }}>
      <div className="dim" style={{ fontSize: 13 }}>
        Source: {made.width} × {made.height} px, {made.form.toUpperCase()}
        {made.transparent ? ", transparent in places" : ", not transparent"}.
      </div>
      {made.sets.map((set) => (
        <Panel
          key={set.platform}
          title={set.platform_title}
          aside={`${set.files.length} ${set.files.length === 1 ? "file" : "files"}, ${bytes(set.files.reduce((sum, f) => sum + f.size, 0))}`}
        >
          {set.remarks.map((r) => (
            <div key={r.code} style={{ marginBottom: 8 }}>
              <SeverityMark severity={r.severity} /> {r.message}. <span className="dim">{r.hint}</span>
            </div>
          ))}
          <div className="grounds">
            {(["light", "dark"] as const).map((ground) => (
              <div key={ground} className={`ground ${ground}`} role="group" aria-label={`On ${ground}`}>
                {shown(set.files).map((p) => (
                  <figure key={`${p.file.name} ${p.size}`}>
                    <img
                      src={`data:image/${p.file.form === "ico" ? "x-icon" : p.file.form};base64,${p.file.data}`}
                      width={p.width}
                      height={p.height}
                      alt={`${p.file.name}, ${p.size}`}
                    />
                    <figcaption>{p.size}</figcaption>
                  </figure>
                ))}
              </div>
            ))}
          </div>
          <div className="dim" style={{ fontSize: 12.5, marginTop: 8 }}>
            {set.files
              .map(
                (f) =>
                  `${f.name} (${f.width} × ${f.height}, ${f.depth} bit${f.sizes.length > 1 ? `, holds ${f.sizes.join(", ")} px` : ""})`,
              )
              .join(" · ")}
          </div>
        </Panel>
      ))}
    </div>
  );
}

/** At real size what fits; larger ones are shown smaller, and say so. */
const ROOM = 180;
function shown(files: Picture[]) {
  return files.flatMap((file) => {
    if (file.form === "ico")
      return file.sizes.map((s) => ({
        file,
        width: Math.min(s, ROOM),
        height: Math.min(s, ROOM),
        size: s > ROOM ? `${s} px, at ${Math.round((100 * ROOM) / s)} %` : `${s} px`,
      }));
    const scale = Math.min(1, (file.width === file.height ? ROOM : 400) / file.width);
    const size = file.width === file.height ? `${file.width} px` : `${file.width} × ${file.height} px`;
    return [
      {
        file,
        width: Math.round(file.width * scale),
        height: Math.round(file.height * scale),
        size: scale < 1 ? `${size}, at ${Math.round(100 * scale)} %` : size,
      },
    ];
  });
}

function save(made: Made, title: string): void {
  const files = Object.fromEntries(made.sets.flatMap((s) => s.files.map((f) => [`${s.platform}/${f.name}`, unbase64(f.data)])));
  download(`${title}-pictures.zip`, new Blob([zipSync(files, { level: 0 }) as Uint8Array<ArrayBuffer>], { type: "application/zip" }));
}
