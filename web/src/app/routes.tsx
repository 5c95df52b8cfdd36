import { createBrowserRouter } from "react-router";
import { Bench } from "../features/bench/Bench";
import { NewDeployment } from "../features/bench/NewDeployment";
import { ImageLibrary } from "../features/images/ImageLibrary";
import { OneImage } from "../features/images/OneImage";
import { LogPlace } from "../features/log/LogPlace";
import { ShelfPlace } from "../features/shelf/ShelfPlace";
import { SitePlace } from "../features/site/SitePlace";
import { DeploymentPage } from "./DeploymentPage";
import { Missing } from "./Missing";
import { Shell } from "./Shell";

export const router = createBrowserRouter([
  {
    element: <Shell />,
    errorElement: <Missing />,
    children: [
      { path: "/", element: <Bench /> },
      { path: "/new", element: <NewDeployment /> },
      { path: "/deployments/:id/:station?", element: <DeploymentPage /> },
      { path: "/images", element: <ImageLibrary /> },
      { path: "/images/:id", element: <OneImage /> },
      { path: "/shelf", element: <ShelfPlace /> },
      { path: "/site", element: <SitePlace /> },
      { path: "/log", element: <LogPlace /> },
      { path: "*", element: <Missing /> },
    ],
  },
]);
