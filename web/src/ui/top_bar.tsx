import type { ReactNode } from "react";
import { go, type Route } from "../state/route";

/** The bar of every place: where we are at the left, what can be done at the right. */
export function TopBar({
  crumbs,
  after,
  children,
}: {
  crumbs: [string, Route | null][];
  /** Right behind where we are. */
  after?: ReactNode;
  children: ReactNode;
}) {
  return (
    <header className="flex h-11 shrink-0 items-center gap-3 border-b border-ink bg-sheet px-3.5 max-[1180px]:gap-2">
      <button
        type="button"
        onClick={() => go({ place: "shoots" })}
        className="font-slab text-[21px] font-semibold tracking-tight"
        aria-label="Zincplate, to all shoots"
      >
        zincplate
      </button>
      <nav aria-label="Place" className="flex min-w-0 items-center gap-2 text-base">
        {crumbs.map(([name, route], i) => (
          <span key={route?.place ?? "here"} className={`flex items-center gap-2 ${route ? "min-w-0" : "shrink-0"}`}>
            {i > 0 && (
              <span aria-hidden className="text-ink3">
                /
              </span>
            )}
            {route ? (
              <button
                type="button"
                className="truncate text-ink2 hover:text-ink hover:underline"
                onClick={() => go(route)}
              >
                {name}
              </button>
            ) : (
              <b className="truncate font-semibold" aria-current="page">
                {name}
              </b>
            )}
          </span>
        ))}
      </nav>
      {after}
      <span className="grow" />
      {children}
    </header>
  );
}
