import type { ComponentType } from "react";
import { Navigate, useParams } from "react-router";
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
import { stationPath } from "../lib/stations";
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
  if (Station) return <Station key={`${id}/${station}`} id={id} />;
  return station ? <Missing /> : <WhereItNeedsYou id={id} />;
}

/** Opens a deployment on the station that needs the person. */
function WhereItNeedsYou({ id }: { id: number }) {
  const { data, error } = useAnswer(["deployment", id, "line"], () =>
    answer(GET("/api/deployments/{pk}", { params: { path: { pk: id } } })),
  );
  if (error) return <Missing />;
  return data ? <Navigate replace to={stationPath(id, data.line.now)} /> : <Waiting what="the deployment" />;
}
