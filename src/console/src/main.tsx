import "@fontsource-variable/atkinson-hyperlegible-next";
import "@fontsource-variable/atkinson-hyperlegible-mono";
import "./style.css";
import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./App";
import { Refusal } from "./api/client";
import { session } from "./api/session";

const told = (error: Error) => {
  if (error instanceof Refusal && error.status === 401) session.lost();
};
const queries = new QueryClient({
  queryCache: new QueryCache({ onError: told }),
  mutationCache: new MutationCache({ onError: told }),
  defaultOptions: { queries: { retry: (times, error) => !(error instanceof Refusal) && times < 1, retryDelay: 500 } },
});

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <App />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
