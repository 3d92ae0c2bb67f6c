import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useReducer, useRef } from "react";

import { call, type Schemas } from "../../app/http";
import { ENDED, type Run } from "./queries";

export type Row = [ms: number, step: number, level: string, text: string];
const PAGE = 1000;

/** A log of any length: pages of lines by number, asked for when they are looked at; new lines come by events. */
class Pages {
  count = 0;
  private pages = new Map<number, Row[]>();
  private asked = new Set<number>();

  row(number: number): Row | undefined {
    return this.pages.get(Math.floor((number - 1) / PAGE))?.[(number - 1) % PAGE];
  }

  put(start: number, rows: Row[]): void {
    rows.forEach((row, n) => {
      const at = start - 1 + n;
      const page = Math.floor(at / PAGE);
      let held = this.pages.get(page);
      if (!held) {
        held = [];
        this.pages.set(page, held);
      }
      held[at % PAGE] = row;
    });
    this.count = Math.max(this.count, start - 1 + rows.length);
  }

  /** First lines of the pages that are missing between two lines, each given out once. */
  missing(from: number, to: number): number[] {
    const out = [];
    for (let page = Math.floor((from - 1) / PAGE); page <= Math.floor((to - 1) / PAGE); page++) {
      const whole = Math.min(PAGE, this.count - page * PAGE);
      const held = this.pages.get(page);
      if (whole > 0 && !this.asked.has(page) && (!held || Object.keys(held).length < whole)) {
        this.asked.add(page);
        out.push(page * PAGE + 1);
      }
    }
    return out;
  }

  forget(start: number): void {
    this.asked.delete(Math.floor((start - 1) / PAGE));
  }
}

/** The log of a run, live while it is open. `look(from, to)` has lines brought. */
export function useLog(title: string, run: Run) {
  const pages = useRef(new Pages());
  const queries = useQueryClient();
  const [, changed] = useReducer((n: number) => n + 1, 0);
  const { number, log_lines: lines } = run;
  const open = !ENDED.has(run.state);

  useEffect(() => {
    pages.current.count = Math.max(pages.current.count, lines);
    changed();
  }, [lines]);

  useEffect(() => {
    if (!open) return;
    // What is there already is brought by pages; the stream goes on from the end.
    const source = new EventSource(`/api/v1/titles/${title}/runs/${number}/stream?after=${pages.current.count}`);
    let frame = 0;
    source.addEventListener("lines", (event) => {
      const more = JSON.parse((event as MessageEvent<string>).data) as Schemas["LogOut"];
      pages.current.put(more.start, more.rows as Row[]);
      if (frame) return;
      frame = requestAnimationFrame(() => {
        frame = 0;
        changed();
      });
    });
    source.addEventListener("run", (event) =>
      queries.setQueryData(["run", title, number], JSON.parse((event as MessageEvent<string>).data)),
    );
    source.addEventListener("end", () => source.close());
    return () => {
      source.close();
      cancelAnimationFrame(frame);
    };
  }, [title, number, open, queries]);

  const look = useCallback(
    (from: number, to: number) => {
      for (const start of pages.current.missing(Math.max(1, from), Math.max(1, to))) {
        call<Schemas["LogOut"]>(`/titles/${title}/runs/${number}/log?start=${start}&limit=${PAGE}`)
          .then((more) => {
            pages.current.put(more.start, more.rows as Row[]);
            changed();
          })
          .catch(() => pages.current.forget(start));
      }
    },
    [title, number],
  );
  return { pages: pages.current, look, count: pages.current.count };
}
