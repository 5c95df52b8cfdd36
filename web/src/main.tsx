import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { RouterProvider } from "react-router";
import { router } from "./app/routes";
import { applyTheme, storedTheme } from "./lib/theme";
import "./styles.css";
import { ToastProvider } from "./ui/toast";

applyTheme(storedTheme());

const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, staleTime: 500 } } });
const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <ToastProvider>
          <RouterProvider router={router} />
        </ToastProvider>
      </QueryClientProvider>
    </StrictMode>,
  );
}
