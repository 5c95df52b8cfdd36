import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { RouterProvider } from "react-router";
import { Problem } from "./api/client";
import { router } from "./app/routes";
import { applyTheme, storedTheme } from "./lib/theme";
import "./styles.css";
import { Hints } from "./ui/Hint";
import { TakeOffProvider } from "./ui/TakeOff";
import { ToastProvider } from "./ui/toast";

applyTheme(storedTheme());

/** Milliseconds within which a page that was loaded anew is not loaded anew again. */
const ONCE_MS = 10_000;

/** A part that cannot be fetched any more is of the version before an update: the page is loaded anew, once. */
window.addEventListener("vite:preloadError", (event) => {
  const last = Number(sessionStorage.getItem("loaded-anew"));
  if (Date.now() - last < ONCE_MS) return;
  sessionStorage.setItem("loaded-anew", String(Date.now()));
  event.preventDefault();
  window.location.reload();
});

/** A session that ended meanwhile shows the door again. */
const seeWhoIsThere = (error: Error) => {
  if (error instanceof Problem && error.code === "account") void queries.invalidateQueries({ queryKey: ["session"] });
};

const queries: QueryClient = new QueryClient({
  queryCache: new QueryCache({ onError: seeWhoIsThere }),
  mutationCache: new MutationCache({ onError: seeWhoIsThere }),
  defaultOptions: { queries: { retry: 1, staleTime: 300 } },
});
const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <Hints delayDuration={300}>
          <ToastProvider>
            <TakeOffProvider>
              <RouterProvider router={router} />
            </TakeOffProvider>
          </ToastProvider>
        </Hints>
      </QueryClientProvider>
    </StrictMode>,
  );
}
