import { Popover } from "radix-ui";
import { useState } from "react";
import { useBench } from "../../state/bench";
import { equal } from "../../state/equal";
import { Button } from "../../ui/controls";
import { neutralOf } from "./steps/control";

/** What was done, in words; press a line to go there. */
export function HistoryDrawer({ raw }: { raw: boolean }) {
  const opened = useBench((s) => s.version !== null);
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button disabled={!opened}>History</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          aria-label="History"
          className="scroll-plain z-40 max-h-[70vh] w-80 border border-ink bg-sheet py-2 shadow-lg"
        >
          <States />
          <Steps raw={raw} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** All entries, latest first: drawn only while the drawer is open, a long history takes longer than a picture. */
function Steps({ raw }: { raw: boolean }) {
  const version = useBench((s) => s.version);
  const draft = useBench((s) => s.draft);
  const { goTo, save } = useBench.getState();
  const neutral = neutralOf(raw);
  return (
    <>
      <div className="mb-1 px-3">
        <Button
          disabled={!draft || equal(draft, { ...draft, ...neutral })}
          onClick={() => save((r) => ({ ...r, ...neutral }))}
        >
          Reset all steps
        </Button>
      </div>
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
    </>
  );
}

/** States kept under a name: return to them whatever was done since. */
function States() {
  const version = useBench((s) => s.version);
  const { nameState, returnTo, forgetState } = useBench.getState();
  const [name, setName] = useState("");
  return (
    <div className="mb-2 border-b border-rule px-3 pb-2">
      <form
        className="flex gap-1.5"
        onSubmit={(e) => {
          e.preventDefault();
          if (!name.trim()) return;
          nameState(name.trim());
          setName("");
        }}
      >
        <input
          aria-label="Name for the current state"
          placeholder="Name this state"
          value={name}
          maxLength={60}
          onKeyDown={(e) => e.stopPropagation()}
          onChange={(e) => setName(e.currentTarget.value)}
          className="h-7 min-w-0 grow rounded-[2px] border border-rule bg-white px-2 text-sm"
        />
        <Button type="submit" disabled={!name.trim()}>
          Keep
        </Button>
      </form>
      <ul className="pt-1">
        {version?.states.map((s) => (
          <li key={s.id} className="flex items-center">
            <button
              type="button"
              onClick={() => returnTo(s.id)}
              className="grow truncate py-0.5 text-left text-sm font-semibold hover:underline"
            >
              {s.name}
            </button>
            <button
              type="button"
              aria-label={`Forget the state ${s.name}`}
              onClick={() => forgetState(s.id)}
              className="px-1 text-ink2 hover:text-ink"
            >
              {"\u00d7"}
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
