import { useEffect, useState } from "react";
import { api, type Frame, need, type PixelValues } from "../../api/client";
import { useBench } from "../../state/bench";
import { complain } from "../../state/notices";

/** Values of the pinned places, kept up to date while the picture is worked on. */
export function Samplers({ frame }: { frame: Frame }) {
  const samplers = useBench((s) => s.samplers);
  const draft = useBench((s) => s.draft);
  const [values, setValues] = useState<PixelValues[]>([]);
  useEffect(() => {
    if (!samplers.length || !draft) return;
    const stop = new AbortController();
    // a hand on a control asks many times: the values follow when it rests for a moment
    const later = setTimeout(() => {
      const recipe = draft as unknown as Record<string, never>;
      Promise.all(
        samplers.map((s) =>
          need(
            api.POST("/api/frames/{id}/pixel", {
              params: { path: { id: frame.id } },
              body: { x: s.x, y: s.y, radius: 2, recipe },
              signal: stop.signal,
            }),
          ),
        ),
      )
        .then(setValues)
        .catch((error: unknown) => stop.signal.aborted || complain(error));
    }, 60);
    return () => {
      clearTimeout(later);
      stop.abort();
    };
  }, [frame.id, samplers, draft]);
  if (!samplers.length) return null;
  return (
    <aside aria-label="Pinned places" className="absolute bottom-2 left-2 bg-sheet/95 px-2 py-1.5 text-xs">
      <table>
        <tbody>
          {samplers.map((s, i) => (
            <tr key={`${s.x} ${s.y}`}>
              <th scope="row" className="pr-2 text-left font-semibold">
                {i + 1}
              </th>
              {[...(values[i]?.rgb ?? [0, 0, 0])].map((v, k) => (
                <td key={"RGB"[k]} className="min-w-8 pr-1 text-right">
                  {values[i] ? v.toFixed(0) : ""}
                </td>
              ))}
              {[...(values[i]?.lab ?? [0, 0, 0])].map((v, k) => (
                <td key={"Lab"[k]} className="min-w-9 pr-1 text-right text-ink2">
                  {values[i] ? v.toFixed(1) : ""}
                </td>
              ))}
              <td>
                <button
                  type="button"
                  aria-label={`Take place ${i + 1} away`}
                  className="px-1 text-ink2 hover:text-ink"
                  onClick={() => useBench.setState({ samplers: samplers.filter((_, k) => k !== i) })}
                >
                  {"\u00d7"}
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </aside>
  );
}
