import { createBrowserRouter } from "react-router";
import { Bench } from "../features/bench/Bench";
import { NewDeployment } from "../features/bench/NewDeployment";
import { ImageLibrary } from "../features/images/ImageLibrary";
import { OneImage } from "../features/images/OneImage";
import { LogPlace } from "../features/log/LogPlace";
import { MatrixPlace } from "../features/plan/MatrixPlace";
import { ShelfPlace } from "../features/shelf/ShelfPlace";
import { SitePlace } from "../features/site/SitePlace";
import { TakenOff } from "../features/takenoff/TakenOff";
import { Waiting } from "../ui/parts";
import { DeploymentPage } from "./DeploymentPage";
import { Missing } from "./Missing";
import { Shell } from "./Shell";

export const router = createBrowserRouter([
  {
    element: <Shell />,
    errorElement: <Missing />,
    HydrateFallback: () => <Waiting what="the page" />,
    children: [
      { path: "/", element: <Bench /> },
      { path: "/new", element: <NewDeployment /> },
      { path: "/deployments/:id/:station?", element: <DeploymentPage /> },
      { path: "/images", element: <ImageLibrary /> },
      { path: "/images/:id", element: <OneImage /> },
      { path: "/shelf", element: <ShelfPlace /> },
      { path: "/matrix", element: <MatrixPlace /> },
      // With an editor, which is fetched only where somebody edits.
      { path: "/recipes", lazy: async () => ({ Component: (await import("../features/recipes/RecipesPlace")).RecipesPlace }) },
      { path: "/recipes/:kind/:id", lazy: async () => ({ Component: (await import("../features/recipes/EditDescription")).EditDescription }) },
      { path: "/site", element: <SitePlace /> },
      { path: "/log", element: <LogPlace /> },
      { path: "/taken-off", element: <TakenOff /> },
      { path: "*", element: <Missing /> },
    ],
  },
]);
