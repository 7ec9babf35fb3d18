import { Popover } from "radix-ui";
import { useEffect, useState } from "react";
import { api, need } from "../../api/client";
import type { components } from "../../api/generated/api";
import { complain } from "../../state/notices";
import { Button } from "../../ui/controls";
import { isTyped } from "../../ui/typing";

type Facts = components["schemas"]["FactsOut"];
const NONE: string[] = [];

interface Props {
  id: number;
  open: boolean;
  setOpen: (open: boolean) => void;
  name?: string;
  /** Opened by a button, not by words. */
  button?: boolean;
  /** What its pictures told besides. */
  notes?: readonly string[];
  children: React.ReactNode;
}

/** What the file says of its making and meaning, and what was ignored, repaired or assumed in it. */
export function FactsDrawer({ id, name, button, open, setOpen, notes: more = NONE, children }: Props) {
  const [facts, setFacts] = useState<Facts | null>(null);
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (e.key.toLowerCase() !== "i" || e.ctrlKey || e.metaKey || e.altKey || isTyped(e)) return;
      e.preventDefault();
      setOpen(!open);
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [open, setOpen]);
  useEffect(() => {
    if (!open) return;
    let current = true;
    setFacts(null);
    need(api.GET("/api/frames/{id}/facts", { params: { path: { id } } }))
      .then((found) => current && setFacts(found))
      .catch((error: unknown) => current && complain(error));
    return () => {
      current = false;
    };
  }, [open, id]);
  const notes = [...new Set([...(facts?.notes ?? []), ...more])];
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      {button ? (
        <Popover.Trigger asChild>
          <Button title="Facts of the file (I)">{children}</Button>
        </Popover.Trigger>
      ) : (
        <Popover.Trigger title="Facts of the file (I)" className="border-b border-dotted border-ink2 hover:text-ink">
          {children}
        </Popover.Trigger>
      )}
      <Popover.Portal>
        <Popover.Content
          align="end"
          side="top"
          sideOffset={6}
          aria-label="Facts of the file"
          tabIndex={0}
          className="scroll-plain z-40 max-h-[72vh] w-[400px] overflow-y-auto border border-ink bg-sheet px-3.5 py-2.5 text-sm shadow-lg !outline-none focus-visible:ring-1 focus-visible:ring-ink"
        >
          {name && <h2 className="mb-1.5 font-slab text-base font-semibold">{name}</h2>}
          {facts === null && <p className="text-ink2">Reading the facts.</p>}
          {notes.length > 0 && facts !== null && (
            <section className="mb-2">
              <h3 className="border-b border-rule font-semibold">To know about this file</h3>
              <ul className="list-disc pl-4 pt-1">
                {notes.map((note) => (
                  <li key={note}>{note}</li>
                ))}
              </ul>
            </section>
          )}
          {facts?.groups.map((group) => (
            <section key={group.title} className="mb-2 last:mb-0">
              <h3 className="border-b border-rule font-semibold">{group.title}</h3>
              <dl className="grid grid-cols-[104px_1fr] gap-x-2 gap-y-0.5 pt-1">
                {group.facts.map((fact) => (
                  <div key={fact.name} className="contents">
                    <dt className="text-ink2">{fact.name}</dt>
                    <dd className="select-text whitespace-pre-line break-words">{fact.text}</dd>
                  </div>
                ))}
              </dl>
            </section>
          ))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
