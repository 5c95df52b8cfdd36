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
