import { MantineProvider } from "@mantine/core";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { MemoryRouter } from "react-router";
import { vi } from "vitest";

/** What stands around every page. */
export function Around({ children }: { children: ReactNode }) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  return (
    <MantineProvider>
      <QueryClientProvider client={client}>
        <MemoryRouter>{children}</MemoryRouter>
      </QueryClientProvider>
    </MantineProvider>
  );
}

export interface Asked {
  method: string;
  path: string;
  body: unknown;
}

/** The service, as a function of what is asked of it; a number is a status. What was asked is kept. */
export function serve(answer: (asked: Asked) => unknown): Asked[] {
  const log: Asked[] = [];
  vi.stubGlobal("fetch", async (path: string, init?: RequestInit) => {
    const asked = {
      method: init?.method ?? "GET",
      path: path.replace("/api/v1", ""),
      body: init?.body ? JSON.parse(String(init.body)) : undefined,
    };
    log.push(asked);
    const said = answer(asked);
    const [status, body] = typeof said === "number" ? [said, { detail: `status ${said}` }] : [200, said];
    return new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });
  });
  return log;
}
