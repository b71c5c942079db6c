import { Suspense, useEffect } from "react";
import { Outlet } from "react-router";
import { LightContext, useLedger } from "../api/events";
import { Inspector } from "../features/inspector/Inspector";
import { Help } from "./Help";
import { Palette } from "./Palette";
import { usePlace, useChosen } from "../ui/place";
import { useShortcuts } from "./shortcuts";
import { StageStrip } from "./StageStrip";
import { TopBar } from "./TopBar";

/** The frame of every screen: top bar, stage strip, the stage, the trial inspector. */
export function Shell() {
  const light = useLedger();
  const { problem, trial } = usePlace();
  const { problemView } = useChosen();
  const shortcuts = useShortcuts();
  useEffect(() => {
    document.title = problemView ? `${problemView.name} · Pellux` : "Pellux";
  }, [problemView]);
  return (
    <LightContext.Provider value={light}>
      <div className="shell">
        <TopBar onPalette={() => shortcuts.setPalette(true)} onHelp={() => shortcuts.setHelp(true)} />
        {problem === null ? <div /> : <StageStrip />}
        <main className="scrolls" style={{ marginRight: trial === null ? 0 : "var(--drawer)" }} id="stage">
          <Suspense fallback={<p className="stage soft">One moment …</p>}>
            <Outlet />
          </Suspense>
        </main>
      </div>
      {trial !== null && <Inspector trial={trial} />}
      <Palette
        open={shortcuts.palette}
        onClose={() => shortcuts.setPalette(false)}
        onKeys={() => shortcuts.setHelp(true)}
      />
      <Help open={shortcuts.help} onClose={() => shortcuts.setHelp(false)} />
    </LightContext.Provider>
  );
}
