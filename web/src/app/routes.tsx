import { createBrowserRouter } from "react-router";
import { Bench } from "../features/bench/Bench";
import { Waiting } from "../ui/parts";
import { DeploymentPage } from "./DeploymentPage";
import { Missing } from "./Missing";
import { Shell } from "./Shell";

export const router = createBrowserRouter([
  {
    element: <Shell />,
    errorElement: <Missing />,
    HydrateFallback: () => <Waiting what="the page" />,
    // The bench comes with the page; every other place is fetched when it is opened.
    children: [
      { path: "/", element: <Bench /> },
      { path: "/new", lazy: async () => ({ Component: (await import("../features/bench/NewDeployment")).NewDeployment }) },
      { path: "/deployments/:id/:station?", element: <DeploymentPage /> },
      { path: "/images", lazy: async () => ({ Component: (await import("../features/images/ImageLibrary")).ImageLibrary }) },
      { path: "/images/:id", lazy: async () => ({ Component: (await import("../features/images/OneImage")).OneImage }) },
      { path: "/images/:id/use", lazy: async () => ({ Component: (await import("../features/images/UseImage")).UseImage }) },
      { path: "/cards", lazy: async () => ({ Component: (await import("../features/cards/CardsPlace")).CardsPlace }) },
      { path: "/shelf/own-board", lazy: async () => ({ Component: (await import("../features/shelf/OwnBoard")).OwnBoard }) },
      { path: "/shelf", lazy: async () => ({ Component: (await import("../features/shelf/ShelfPlace")).ShelfPlace }) },
      { path: "/matrix", lazy: async () => ({ Component: (await import("../features/plan/MatrixPlace")).MatrixPlace }) },
      { path: "/recipes", lazy: async () => ({ Component: (await import("../features/recipes/RecipesPlace")).RecipesPlace }) },
      { path: "/recipes/:kind/:id", lazy: async () => ({ Component: (await import("../features/recipes/EditDescription")).EditDescription }) },
      { path: "/doctor", lazy: async () => ({ Component: (await import("../features/doctor/DoctorPlace")).DoctorPlace }) },
      { path: "/site", lazy: async () => ({ Component: (await import("../features/site/SitePlace")).SitePlace }) },
      { path: "/log", lazy: async () => ({ Component: (await import("../features/log/LogPlace")).LogPlace }) },
      { path: "/taken-off", lazy: async () => ({ Component: (await import("../features/takenoff/TakenOff")).TakenOff }) },
      { path: "*", element: <Missing /> },
    ],
  },
]);
