import "@fontsource/bitter/600.css";
import "@fontsource/jetbrains-mono/400.css";
import "@fontsource-variable/source-sans-3";
import "@mantine/core/styles.css";
import "./app/look.css";

import { MantineProvider } from "@mantine/core";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";

import { ApiError } from "./app/http";
import { Routing } from "./app/Routing";
import { schemeVariables, theme } from "./app/theme";

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 3_000,
      retry: (count, error) => !(error instanceof ApiError && error.status < 500) && count < 2,
    },
  },
});

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <MantineProvider theme={theme} defaultColorScheme="auto" cssVariablesResolver={schemeVariables}>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <Routing />
        </BrowserRouter>
      </QueryClientProvider>
    </MantineProvider>
  </StrictMode>,
);
