import { type ComponentType, lazy, type LazyExoticComponent, Suspense } from "react";
import { Link, Navigate, useParams } from "react-router";
import { answer, GET } from "../api/client";
import { useAnswer } from "../api/use";
import { neighbour, stationPath } from "../lib/stations";
import { Waiting } from "../ui/parts";
import { Missing } from "./Missing";

type Station = ComponentType<{ id: number }>;

/** Each is fetched when it is opened for the first time. */
const STATIONS: Record<string, LazyExoticComponent<Station>> = {
  plan: lazy(async () => ({ default: (await import("../features/plan/PlanStation")).PlanStation })),
  image: lazy(async () => ({ default: (await import("../features/image/ImageStation")).ImageStation })),
  settings: lazy(async () => ({ default: (await import("../features/settings/SettingsStation")).SettingsStation })),
  card: lazy(async () => ({ default: (await import("../features/card/CardStation")).CardStation })),
  boot: lazy(async () => ({ default: (await import("../features/boot/BootStation")).BootStation })),
  find: lazy(async () => ({ default: (await import("../features/find/FindStation")).FindStation })),
  setup: lazy(async () => ({ default: (await import("../features/setup/SetupStation")).SetupStation })),
  keep: lazy(async () => ({ default: (await import("../features/keep/KeepStation")).KeepStation })),
};

export function DeploymentPage() {
  const { id: text, station } = useParams();
  const id = Number(text);
  if (!Number.isInteger(id)) return <Missing />;
  const Station = station ? STATIONS[station] : undefined;
  if (Station && station) {
    return (
      <>
        <Suspense fallback={<Waiting what="the station" />}>
          <Station key={`${id}/${station}`} id={id} />
        </Suspense>
        <Steps id={id} station={station} />
      </>
    );
  }
  return station ? <Missing /> : <WhereItNeedsYou id={id} />;
}

/** What the keys [ and ] press; there before the station's own answer is. */
function Steps({ id, station }: { id: number; station: string }) {
  const before = neighbour(station, -1);
  const after = neighbour(station, 1);
  return (
    <div hidden>
      {before && <Link data-step="previous" to={stationPath(id, before)} />}
      {after && <Link data-step="next" to={stationPath(id, after)} />}
    </div>
  );
}

/** Opens a deployment on the station that needs the person. */
function WhereItNeedsYou({ id }: { id: number }) {
  const { data, error } = useAnswer(["deployment", id, "line"], () =>
    answer(GET("/api/deployments/{pk}", { params: { path: { pk: id } } })),
  );
  if (error) return <Missing />;
  return data ? <Navigate replace to={stationPath(id, data.line.now)} /> : <Waiting what="the deployment" />;
}
