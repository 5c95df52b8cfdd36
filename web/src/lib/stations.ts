import type { StationName } from "../api/client";

export const STATIONS: readonly StationName[] = ["plan", "image", "settings", "card", "boot", "find", "setup", "keep"];

export const stationPath = (id: number, station: string) => `/deployments/${id}/${station}`;

/** The station `step` places away, or undefined at either end. */
export const neighbour = (station: string, step: 1 | -1): StationName | undefined =>
  STATIONS[STATIONS.indexOf(station as StationName) + step];

/** Their titles, for the window's own. */
export const STATION_TITLES: Partial<Record<string, string>> = {
  plan: "Plan", image: "Image", settings: "Settings", card: "Card", boot: "First boot", find: "Find", setup: "Set up", keep: "Keep",
};
