import "../document/document.css";

import { Button, Group } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useRef, useState } from "react";
import { useNavigate } from "react-router";

import { ApiError, call, type Schemas } from "../../app/http";
import { bytes, plural } from "../../ui/format";
import { Empty, Failure, Loading, PageHead, Panel } from "../../ui/parts";
import { download } from "../document/Owned";
import { base64 } from "../pictures/encoding";

const TextEditor = lazy(() => import("../document/TextEditor"));
const HEAD = 4096;
const MOST = 50_000;
const LARGEST = 1024 * 1024;
const TELLING = /(^[^.]+|\.(exe|dll|so|dylib|png|cmd|bat|txt))$/i;

/** What would a first profile document for this folder say? Names, sizes and first bytes are read; the files stay here. */
export function ProposePage() {
  const folder = useRef<HTMLInputElement>(null);
  const file = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const client = useQueryClient();
  const [text, setText] = useState("");
  const [source, setSource] = useState("");
  const [refused, setRefused] = useState("");
  const propose = useMutation({
    mutationFn: async (files: File[]) => call<Schemas["ProposalOut"]>("/documents/propose", { method: "POST", body: await listing(files) }),
    onSuccess: (made) => setText(made.document),
  });
  const create = useMutation({
    mutationFn: () => call<Schemas["Title"]>("/titles", { method: "POST", body: { document: text, message: `${source}.` } }),
    onSuccess: async (made) => {
      await client.invalidateQueries();
      void navigate(`/titles/${made.slug}/check`);
    },
  });
  const take = async (found: File) => {
    setRefused("");
    create.reset();
    if (found.size > LARGEST) return setRefused(`${found.name} has ${bytes(found.size)}, and a profile document has at most 1 MiB.`);
    setSource(`Read from ${found.webkitRelativePath || found.name}`);
    setText(await found.text());
  };
  const choose = (files: File[]) => {
    const own = files.find((f) => f.webkitRelativePath.split("/").length === 2 && f.name === "rampa.toml");
    if (own) return void take(own);
    setRefused("");
    create.reset();
    setSource(`Proposed from ${plural(files.length, "file")}`);
    if (files.length) propose.mutate(files);
  };
  return (
    <>
      <PageHead
        title="Begin a title"
        aside={
          <>
            <Button size="xs" variant="default" onClick={() => file.current?.click()}>
              Choose a document
            </Button>
            <Button size="xs" variant={text ? "default" : "filled"} onClick={() => folder.current?.click()}>
              Choose a folder
            </Button>
          </>
        }
      >
        With its document, or with its folder, for which a document is proposed: names, sizes and first bytes are read, the files stay here.
      </PageHead>
      <input
        ref={folder}
        type="file"
        hidden
        multiple
        aria-label="Folder"
        {...{ webkitdirectory: "" }}
        onChange={(e) => choose([...(e.currentTarget.files ?? [])])}
      />
      <input
        ref={file}
        type="file"
        hidden
        accept=".toml"
        aria-label="Document"
        onChange={(e) => e.currentTarget.files?.[0] && void take(e.currentTarget.files[0])}
      />
      {refused && <Failure error={new ApiError(0, { detail: refused })} />}
      {propose.error && <Failure error={propose.error} />}
      {propose.isPending && <Loading rows={12} />}
      {!text && !propose.isPending && (
        <Panel title="No folder yet">
          <Empty command="bin/rampa profile propose FOLDER">
            Choose the folder that holds a title's files: programs, content, pictures, languages and addons are recognised, and each
            proposed line says why.
          </Empty>
        </Panel>
      )}
      {text && (
        <Panel title={source} aside="Correct it here, then make the title.">
          <Suspense fallback={<Loading rows={12} />}>
            <TextEditor label="The proposed text" text={text} change={setText} />
          </Suspense>
          {create.error && <Failure error={create.error} />}
          {create.error instanceof ApiError && create.error.problem.code === "title.exists" && (
            <p className="dim" style={{ fontSize: 13 }}>
              The title is there already: edit its profile document, and load this file into the draft.
            </p>
          )}
          <Group justify="flex-end" gap="sm" mt="sm">
            <Button variant="default" size="xs" onClick={() => download("rampa.toml", text)}>
              Download
            </Button>
            <Button variant="filled" size="xs" loading={create.isPending} onClick={() => create.mutate()}>
              Make the title
            </Button>
          </Group>
        </Panel>
      )}
    </>
  );
}

/** A browser does not tell which files may be executed: what begins like a script counts as one. */
async function listing(files: File[]): Promise<Schemas["FolderIn"]> {
  const root = files[0]?.webkitRelativePath.split("/")[0] || "title";
  const seen = await Promise.all(
    files.slice(0, MOST).map(async (file) => {
      const path = file.webkitRelativePath.split("/").slice(1).join("/") || file.name;
      const head = TELLING.test(file.name) ? await file.slice(0, HEAD).arrayBuffer() : new ArrayBuffer(0);
      const start = new Uint8Array(head, 0, Math.min(2, head.byteLength));
      return { path, size: file.size, head: base64(head), executable: start[0] === 0x23 && start[1] === 0x21 };
    }),
  );
  return { name: root.slice(0, 200), files: seen, domain: "" };
}
