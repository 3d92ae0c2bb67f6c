import { CloseButton, Group, Select } from "@mantine/core";

import { capital } from "../../ui/format";
import { Answer, Failure, Panel } from "../../ui/parts";
import { useTitles } from "../titles/queries";
import { type NoticeChoice, type NoticeTime, useChooseNotice, useNoticeChoices } from "./queries";

const TIMES: { value: NoticeTime; label: string }[] = [
  { value: "at-once", label: "at once" },
  { value: "daily", label: "once a day, 06:00 UTC" },
  { value: "never", label: "never" },
];

/** What am I told of by letter, and when? */
export function LettersPanel() {
  const choices = useNoticeChoices();
  const choose = useChooseNotice();
  return (
    <Panel title="Letters" aside="what you did yourself is not told" flush>
      {choose.error && <Failure error={choose.error} />}
      <Answer of={choices} rows={6}>
        {({ items }) => (
          <table className="rows">
            <thead>
              <tr>
                <th>What happens</th>
                <th>When you are told</th>
              </tr>
            </thead>
            <tbody>
              {items.map((choice) => (
                <tr key={choice.kind}>
                  <td>{capital(choice.words)}</td>
                  <td>
                    <When
                      label={`When you are told of ${choice.kind}`}
                      value={choice.time}
                      choose={(time) => choose.mutate({ kind: choice.kind, title: "", time })}
                    />
                    {choice.of_titles && <ByTitle choice={choice} choose={choose.mutate} />}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Answer>
    </Panel>
  );
}

function When({ label, value, choose }: { label: string; value: NoticeTime; choose: (time: NoticeTime) => void }) {
  return (
    <Select
      size="xs"
      w={190}
      aria-label={label}
      data={TIMES}
      value={value}
      allowDeselect={false}
      onChange={(time) => time && choose(time as NoticeTime)}
    />
  );
}

/** Titles that have a choice of their own, and one more. */
function ByTitle({ choice, choose }: { choice: NoticeChoice; choose: ReturnType<typeof useChooseNotice>["mutate"] }) {
  const { data: titles } = useTitles();
  const { kind } = choice;
  const left = (titles?.items ?? []).filter((t) => !choice.titles.some((c) => c.title === t.slug));
  return (
    <>
      {choice.titles.map((own) => (
        <Group key={own.title} gap={6} mt={4}>
          <span>{titles?.items.find((t) => t.slug === own.title)?.name ?? own.title}</span>
          <When
            label={`When you are told of ${kind} of ${own.title}`}
            value={own.time}
            choose={(time) => choose({ kind, title: own.title, time })}
          />
          <CloseButton
            size="sm"
            aria-label={`As for all: ${kind} of ${own.title}`}
            onClick={() => choose({ kind, title: own.title, time: null })}
          />
        </Group>
      ))}
      {left.length > 0 && (
        <Select
          size="xs"
          w={190}
          mt={4}
          variant="unstyled"
          aria-label={`Choose apart for a title: ${kind}`}
          placeholder="choose apart for a title"
          data={left.map((t) => ({ value: t.slug, label: t.name }))}
          value={null}
          onChange={(title) => title && choose({ kind, title, time: choice.time === "never" ? "at-once" : "never" })}
        />
      )}
    </>
  );
}
