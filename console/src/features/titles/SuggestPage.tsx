import "../document/document.css";

import { Button, Group } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useRef, useState } from "react";
import { useNavigate } from "react-router";

import { call, type Schemas } from "../../app/http";
import { plural } from "../../ui/format";
import { Empty, Failure, Loading, PageHead, Panel } from "../../ui/parts";
import { download } from "../document/Owned";
import { base64 } from "../pictures/encoding";

const TextEditor = lazy(() => import("../document/TextEditor"));
const HEAD = 4096;
const MOST = 50_000;
const TELLING = /(^[^.]+|\.(exe|dll|so|dylib|png|cmd|bat|txt))$/i;

/** What would a first profile document for this folder say? Names, sizes and first bytes are read; the files stay here. */
export function SuggestPage() {
  const input = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const client = useQueryClient();
  const [text, setText] = useState("");
  const [count, setCount] = useState(0);
  const propose = useMutation({
    mutationFn: async (files: File[]) => call<Schemas["SuggestionOut"]>("/documents/suggest", { method: "POST", body: await listing(files) }),
    onSuccess: (made) => setText(made.document),
  });
  const create = useMutation({
    mutationFn: () => call<Schemas["Title"]>("/titles", { method: "POST", body: { document: text, message: "Proposed from the folder." } }),
    onSuccess: async (made) => {
      await client.invalidateQueries();
      void navigate(`/titles/${made.slug}/check`);
    },
  });
  const choose = (files: File[]) => {
    setCount(files.length);
    if (files.length) propose.mutate(files);
  };
  return (
    <>
      <PageHead
        title="Propose a profile document"
        aside={
          <Button size="xs" variant={text ? "default" : "filled"} onClick={() => input.current?.click()}>
            Choose a folder
          </Button>
        }
      >
        Names, sizes and the first bytes of programs and pictures are read. The files themselves stay on this machine.
      </PageHead>
      <input ref={input} type="file" hidden multiple aria-label="Folder" {...{ webkitdirectory: "" }} onChange={(e) => choose([...(e.currentTarget.files ?? [])])} />
      {propose.error && <Failure error={propose.error} />}
      {propose.isPending && <Loading rows={12} />}
      {!text && !propose.isPending && (
        <Panel title="No folder yet">
          <Empty command="bin/rampa profile suggest FOLDER">Choose the folder that holds a title's files: programs, content, pictures, languages and add-ons are recognised, and each proposed line says why.</Empty>
        </Panel>
      )}
      {text && (
        <Panel title={`Proposed from ${plural(count, "file")}`} aside="Correct it here, then make the title.">
          <Suspense fallback={<Loading rows={12} />}>
            <TextEditor label="The proposed text" text={text} change={setText} />
          </Suspense>
          {create.error && <Failure error={create.error} />}
          <Group justify="flex-end" gap="sm" mt="sm">
            <Button variant="default" size="xs" onClick={() => download("rampa.toml", text)}>Download</Button>
            <Button variant="filled" size="xs" loading={create.isPending} onClick={() => create.mutate()}>Make the title</Button>
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
