import { DropdownMenu } from "radix-ui";
import { FIT } from "../../canvas/viewport";
import { useBench } from "../../state/bench";
import { Button, Hint } from "../../ui/controls";
import { ITEM, MENU } from "../../ui/menu";
import { UndoButtons } from "../../ui/undo_buttons";
import { HistoryDrawer } from "./history_drawer";

/** Undo, history, comparison and zoom; what makes no sense on the whole plane of the framing step is switched off there. */
export function Tools({ framing, raw }: { framing: boolean; raw: boolean }) {
  const mayUndo = useBench((s) => s.mayUndo);
  const mayRedo = useBench((s) => s.mayRedo);
  const compare = useBench((s) => s.compare);
  const zoom = useBench((s) => s.viewport.zoom);
  const warnings = useBench((s) => s.warnings);
  const { undo, redo } = useBench.getState();
  const hold = (on: boolean) => useBench.setState({ compare: on ? "original" : "none" });
  return (
    <>
      <UndoButtons undo={mayUndo ? undo : null} redo={mayRedo ? redo : null} />
      <HistoryDrawer raw={raw} />
      <span className="h-5 w-px bg-rule" />
      <Hint text="Hold to see the frame as it came in (O)">
        <Button
          pressed={compare === "original"}
          onPointerDown={() => hold(true)}
          onPointerUp={() => hold(false)}
          onPointerLeave={() => compare === "original" && hold(false)}
          onKeyDown={(e) => (e.key === " " || e.key === "Enter") && hold(true)}
          onKeyUp={() => hold(false)}
        >
          Original
        </Button>
      </Hint>
      <span className="contents max-[1180px]:hidden">
        <Hint text="Original and adjusted side by side (Shift+O)">
          <Button
            disabled={framing}
            pressed={!framing && compare === "split"}
            onClick={() => useBench.setState({ compare: compare === "split" ? "none" : "split" })}
          >
            Split
          </Button>
        </Hint>
        <Hint text="Original and adjusted beside each other (Shift+S)">
          <Button
            disabled={framing}
            pressed={!framing && compare === "side"}
            onClick={() => useBench.setState({ compare: compare === "side" ? "none" : "side" })}
          >
            Side by side
          </Button>
        </Hint>
        <Hint text="Hatching where the picture or the sensor is at its end (W)">
          <Button
            disabled={framing}
            pressed={!framing && warnings}
            onClick={() => useBench.setState({ warnings: !warnings })}
          >
            Warnings
          </Button>
        </Hint>
        <Button
          disabled={framing}
          pressed={!framing && zoom === "fit"}
          onClick={() => useBench.setState({ viewport: FIT })}
        >
          Fit
        </Button>
        <Hint text="One picture pixel on one screen pixel (F)">
          <Button
            disabled={framing}
            pressed={!framing && zoom === (window.devicePixelRatio || 1)}
            onClick={() =>
              useBench.setState((s) => ({ viewport: { ...s.viewport, zoom: window.devicePixelRatio || 1 } }))
            }
          >
            1:1
          </Button>
        </Hint>
      </span>
      <span className="hidden max-[1180px]:contents">
        <NarrowTools framing={framing} />
      </span>
    </>
  );
}

/** The same in one menu, where the window is too narrow for them all. */
function NarrowTools({ framing }: { framing: boolean }) {
  const compare = useBench((s) => s.compare);
  const warnings = useBench((s) => s.warnings);
  const toggle = (which: "split" | "side") => useBench.setState({ compare: compare === which ? "none" : which });
  const rows: [string, boolean, () => void][] = [
    ["Split", compare === "split", () => toggle("split")],
    ["Side by side", compare === "side", () => toggle("side")],
    ["Warnings", warnings, () => useBench.setState({ warnings: !warnings })],
    ["Fit", false, () => useBench.setState({ viewport: FIT })],
    [
      "1:1",
      false,
      () => useBench.setState((s) => ({ viewport: { ...s.viewport, zoom: window.devicePixelRatio || 1 } })),
    ],
  ];
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button disabled={framing}>Look</Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="start" sideOffset={6} className={MENU}>
          {rows.map(([name, on, run]) => (
            <DropdownMenu.Item key={name} className={ITEM} onSelect={run}>
              <span className="w-3">{on ? "\u2713" : ""}</span>
              {name}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
