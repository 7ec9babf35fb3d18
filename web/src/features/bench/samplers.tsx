import { useEffect, useState } from "react";
import { api, type Frame, need, type PixelValues } from "../../api/client";
import { useBench } from "../../state/bench";
import { complain } from "../../state/notices";
import { ARROWS } from "../../ui/arrows";

/** A place moved by an arrow key, kept on the picture: a four-hundredth of its long edge, ten times that with Shift. */
function moved(from: { x: number; y: number }, key: string, far: boolean): { x: number; y: number } | null {
  const direction = ARROWS[key];
  const header = useBench.getState().header;
  if (!direction || !header) return null;
  const { full_width: width, full_height: height } = header;
  const step = (Math.max(width, height) / 400) * (far ? 10 : 1);
  const kept = (v: number, end: number) => Math.min(Math.max(v, 0), end - 1);
  return { x: kept(from.x + direction[0] * step, width), y: kept(from.y + direction[1] * step, height) };
}

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
      Promise.all(
        samplers.map((s) =>
          need(
            api.POST("/api/frames/{id}/pixel", {
              params: { path: { id: frame.id } },
              body: { x: s.x, y: s.y, radius: 2, recipe: draft },
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
            // biome-ignore lint/suspicious/noArrayIndexKey: places have no other identity
            <tr key={i}>
              <th scope="row" className="pr-2 text-left font-semibold">
                <button
                  type="button"
                  aria-label={`Place ${i + 1}, moved by arrow keys`}
                  title="Arrow keys move the place, Shift ten times as far"
                  className="px-1"
                  onKeyDown={(e) => {
                    const next = moved(s, e.key, e.shiftKey);
                    if (!next) return;
                    useBench.setState({ samplers: samplers.map((other, k) => (k === i ? next : other)) });
                    e.preventDefault();
                    e.stopPropagation();
                  }}
                >
                  {i + 1}
                </button>
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
