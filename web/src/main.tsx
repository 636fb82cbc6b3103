/** The page's beginning. */
import "@fontsource-variable/source-sans-3";
import "@fontsource-variable/source-code-pro";
import "./styles/index.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { RouterProvider } from "react-router";
import { router } from "./app/router";
import { applyTheme } from "./app/theme";
import { Notices } from "./parts/Notices";

const queries = new QueryClient({
  defaultOptions: { queries: { staleTime: 30_000, retry: 1, refetchOnWindowFocus: false } },
});

applyTheme();
const root = document.getElementById("root");
if (!root) throw new Error("The page has no root element.");
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <Notices>
        <RouterProvider router={router} />
      </Notices>
    </QueryClientProvider>
  </StrictMode>,
);
