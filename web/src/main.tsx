import "@fontsource-variable/hanken-grotesk";
import "@fontsource-variable/spline-sans-mono";
import "./style.css";

import { notifyManager, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";

import { follow } from "./api/follow";
import { keysOf } from "./api/keys";
import { App } from "./app";
import { uploads } from "./shell/uploads";
import { applyLight } from "./ui/light";

applyLight();

// What an edit will do is laid over the reel before the next event: with the usual timer a second click can come first, and
// would be made on the reel as it was.
notifyManager.setScheduler(queueMicrotask);

// The server may be on this very machine: what the browser thinks of its network says nothing about it.
const networkMode = "always";
const queries = new QueryClient({
  defaultOptions: { queries: { retry: 1, staleTime: 5_000, refetchOnWindowFocus: true, networkMode }, mutations: { networkMode } },
});

follow(queries);
uploads.onSent = (production) => void queries.invalidateQueries({ queryKey: keysOf.work(production) });

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <App />
    </QueryClientProvider>
  </StrictMode>,
);
