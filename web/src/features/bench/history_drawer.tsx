import { Popover } from "radix-ui";
import { useBench } from "../../state/bench";
import { Button } from "../../ui/controls";

/** What was done, in words; press a line to go there. */
export function HistoryDrawer() {
  const version = useBench((s) => s.version);
  const { goTo } = useBench.getState();
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button disabled={!version}>History</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          aria-label="History"
          className="scroll-plain z-40 max-h-[70vh] w-80 border border-ink bg-sheet py-2 shadow-lg"
        >
          <ol reversed className="flex flex-col-reverse">
            {version?.history.map((entry) => (
              <li key={entry.position}>
                <button
                  type="button"
                  aria-current={entry.position === version.position ? "step" : undefined}
                  onClick={() => goTo(entry.position)}
                  className={`flex w-full gap-2 px-3 py-1 text-left text-sm hover:bg-white ${entry.position === version.position ? "bg-white font-semibold" : entry.position > version.position ? "text-ink3" : ""}`}
                >
                  <span className="w-5 shrink-0 text-right text-ink3">{entry.position}</span>
                  <span className="grow">{entry.words}</span>
                  <time className="shrink-0 text-xs font-normal text-ink2">
                    {new Date(`${entry.at}Z`).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })}
                  </time>
                </button>
              </li>
            ))}
          </ol>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
