import { Menu } from "lucide-react";
import { lazy, Suspense, useRef, useState } from "react";
import { NavLink, Outlet, ScrollRestoration } from "react-router";
import { answer, GET } from "../api/client";
import { useAnswer } from "../api/use";
import { useEver } from "../lib/ever";
import { applyTheme, storedTheme, type Theme } from "../lib/theme";
import { Button } from "../ui/parts";
import { Door, LogOut, OnlyLooks } from "./Account";
import { useLive, useStale } from "../api/live";
import { useMoment, ZoneOfSite } from "../ui/Time";
import { useShortcuts } from "./shortcuts";
import { useTitle } from "./useTitle";

/** Fetched when somebody seeks something for the first time. */
const Palette = lazy(async () => ({ default: (await import("./Palette")).Palette }));

/** Fetched when they are first opened. */
const ShortcutHelp = lazy(async () => ({ default: (await import("./ShortcutHelp")).ShortcutHelp }));
const PhoneDialog = lazy(async () => ({ default: (await import("./PhoneDialog")).PhoneDialog }));

/** Fetched once the page stands: nobody drops a file before. */
const Drop = lazy(async () => ({ default: (await import("./Drop")).Drop }));

export function Shell() {
  return (
    <Door>
      <Inside />
    </Door>
  );
}

function Inside() {
  const place = usePlace();
  const [palette, setPalette] = useState(false);
  const sought = useEver(palette);
  const [help, setHelp] = useState(false);
  const helped = useEver(help);
  const [menu, setMenu] = useState(false);
  const work = useRef<HTMLElement>(null);
  useTitle(work);
  useLive();
  useShortcuts({ openPalette: () => setPalette(true), openHelp: () => setHelp(true) });
  return (
    <div className="min-h-screen md:grid md:grid-cols-[184px_minmax(0,1fr)]">
      <a href="#work" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-sheet focus:p-2">
        To the work
      </a>
      <header className="flex items-center gap-2 px-4 pt-3 md:hidden">
        <Brand />
        <Button className="ml-auto" aria-expanded={menu} onClick={() => setMenu(!menu)}>
          <Menu size={16} aria-hidden /> Menu
        </Button>
      </header>
      <aside
        aria-label="Places and help"
        className={`${menu ? "flex" : "hidden"} flex-col gap-0.5 border-rule px-4 py-3 md:sticky md:top-0 md:flex md:h-screen md:border-r md:py-4 md:pr-3 md:pl-4`}
        onClick={() => setMenu(false)}
      >
        <div className="mb-4 hidden md:block">
          <Brand />
        </div>
        <Places />
        <Foot openHelp={() => setHelp(true)} openPalette={() => setPalette(true)} />
      </aside>
      <main id="work" ref={work} tabIndex={-1} className="min-w-0 px-4 py-4 focus:outline-none md:px-[22px]">
        <ZoneOfSite value={place?.time_zone ?? "UTC"}>
          <NotAsItIs />
          <OnlyLooks />
          <Outlet />
        </ZoneOfSite>
      </main>
      {sought && (
        <Suspense fallback={null}>
          <Palette open={palette} onClose={() => setPalette(false)} />
        </Suspense>
      )}
      {helped && (
        <Suspense fallback={null}>
          <ShortcutHelp open={help} onClose={() => setHelp(false)} />
        </Suspense>
      )}
      <Suspense fallback={null}>
        <Drop />
      </Suspense>
      <ScrollRestoration />
    </div>
  );
}

/** Says so while what is shown may be old: the last answer could not be had again. */
function NotAsItIs() {
  const stale = useStale();
  const since = useMoment(stale?.since ?? 0);
  if (!stale) return null;
  return (
    <p role="status" className="mb-3 rounded-lg bg-amber-2 px-3 py-2 text-[0.95rem] text-amber">
      What you see is from {since}. {stale.message} It is asked again by itself.
    </p>
  );
}

function Brand() {
  return (
    <NavLink to="/" className="flex items-center gap-2 font-head text-[1.27rem] font-bold">
      <svg width="24" height="24" viewBox="0 0 24 24" aria-hidden>
        <path d="M12 21c-5-2-8-6-8-11 4 0 7 2 8 5 1-5 4-9 9-11 0 8-3 14-9 17z" fill="var(--mint)" />
      </svg>
      Mint Seed
    </NavLink>
  );
}

function usePlace() {
  return useAnswer(["place"], () => answer(GET("/api/place"))).data;
}

function Places() {
  const place = usePlace();
  const places = [
    { to: "/", name: "Bench", count: place?.deployments },
    { to: "/images", name: "Images", count: place?.images },
    { to: "/cards", name: "Cards", count: undefined },
    { to: "/shelf", name: "Shelf", count: undefined },
    { to: "/recipes", name: "Recipes", count: undefined },
    { to: "/doctor", name: "Doctor", count: undefined },
    { to: "/site", name: "Site", count: undefined },
    { to: "/log", name: "Log", count: undefined },
    { to: "/taken-off", name: "Taken off", count: undefined },
  ];
  return (
    <nav aria-label="Places" className="flex flex-col gap-0.5">
      {places.map((p) => (
        <NavLink
          key={p.to}
          to={p.to}
          end={p.to === "/"}
          className={({ isActive }) =>
            `flex justify-between rounded-lg px-2.5 py-1.5 ${isActive ? "bg-ink text-paper" : "text-ink-2 hover:bg-rule-2 hover:text-ink"}`
          }
        >
          {p.name}
          <small className="font-mono">{p.count ?? ""}</small>
        </NavLink>
      ))}
    </nav>
  );
}

const THEMES: Record<Theme, Theme> = { system: "light", light: "dark", dark: "system" };

function Foot({ openHelp, openPalette }: { openHelp: () => void; openPalette: () => void }) {
  const place = usePlace();
  const [theme, setTheme] = useState(storedTheme());
  const [phone, setPhone] = useState(false);
  const asked = useEver(phone);
  const turn = () => {
    const next = THEMES[theme];
    applyTheme(next);
    setTheme(next);
  };
  const small = "text-left hover:text-ink hover:underline";
  return (
    <footer className="mt-4 flex flex-col gap-1 text-[0.85rem] text-ink-3 md:mt-auto">
      {place?.standin && <p>Stand-in bench: pretend reader, boards and router. A boot runs {place.pace}× fast.</p>}
      {place?.kind === "machine" && <p>Machine bench: boards are virtual machines that start a card’s very bytes and join a radio cell inside. Nothing here is anybody’s device.</p>}
      {place && place.kind !== "real" && (
        <details>
          <summary className="cursor-pointer hover:text-ink">What it does not simulate</summary>
          <ul className="list-disc pl-4">
            {place.not_simulated.map((text) => (
              <li key={text}>{text}</li>
            ))}
          </ul>
        </details>
      )}
      <p className="flex flex-wrap gap-x-3">
        <button type="button" className={small} onClick={openHelp}>
          <kbd className="font-mono">?</kbd> shortcuts
        </button>
        <button type="button" className={small} onClick={openPalette}>
          <kbd className="font-mono">/</kbd> search
        </button>
      </p>
      <button type="button" className={small} onClick={() => setPhone(true)}>
        On the phone
      </button>
      <LogOut />
      {asked && (
        <Suspense fallback={null}>
          <PhoneDialog open={phone} onClose={() => setPhone(false)} />
        </Suspense>
      )}
      <button type="button" className={small} onClick={turn}>
        Light: {theme === "system" ? "as the system" : theme}
      </button>
    </footer>
  );
}
