import type { ComponentType } from "react";
import { Link, Navigate, useParams } from "react-router";
import { answer, GET } from "../api/client";
import { useAnswer } from "../api/use";
import { BootStation } from "../features/boot/BootStation";
import { CardStation } from "../features/card/CardStation";
import { FindStation } from "../features/find/FindStation";
import { ImageStation } from "../features/image/ImageStation";
import { KeepStation } from "../features/keep/KeepStation";
import { PlanStation } from "../features/plan/PlanStation";
import { SettingsStation } from "../features/settings/SettingsStation";
import { SetupStation } from "../features/setup/SetupStation";
import { neighbour, stationPath } from "../lib/stations";
import { Waiting } from "../ui/parts";
import { Missing } from "./Missing";

const STATIONS: Record<string, ComponentType<{ id: number }>> = {
  plan: PlanStation,
  image: ImageStation,
  settings: SettingsStation,
  card: CardStation,
  boot: BootStation,
  find: FindStation,
  setup: SetupStation,
  keep: KeepStation,
};

export function DeploymentPage() {
  const { id: text, station } = useParams();
  const id = Number(text);
  if (!Number.isInteger(id)) return <Missing />;
  const Station = station ? STATIONS[station] : undefined;
  if (Station && station) {
    return (
      <>
        <Station key={`${id}/${station}`} id={id} />
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
