import type { Step } from "../../api/generated/recipe";
import type { Adjustment } from "../../state/carrying";
import { stepName } from "../bench/steps/control";

interface Props {
  adjustments: readonly Adjustment[];
  taken: ReadonlySet<string>;
  onTake: (id: string, taken: boolean) => void;
}

/** The adjustments of a version with a box for each, step by step, in the words of the history. */
export function AdjustmentList({ adjustments, taken, onTake }: Props) {
  const steps = [...new Set(adjustments.map((a) => a.step))];
  const part = (list: readonly Adjustment[]) =>
    steps
      .map((step) => ({ step, list: list.filter((a) => a.step === step) }))
      .filter(({ list: some }) => some.length > 0);
  const untouched = adjustments.filter((a) => !a.touched);
  return (
    <>
      {part(adjustments.filter((a) => a.touched)).map(({ step, list }) => (
        <section key={step} className="mb-2.5">
          <h3 className="border-b border-rule font-semibold">{stepName(step as Step)}</h3>
          {list.map((a) => (
            <Row key={a.id} adjustment={a} taken={taken.has(a.id)} onTake={onTake} />
          ))}
        </section>
      ))}
      {untouched.length > 0 && (
        <details className="mt-1">
          <summary className="cursor-default text-ink2">Untouched here; taken along they are reset there</summary>
          {part(untouched).map(({ step, list }) => (
            <section key={step} className="mb-1 mt-1.5">
              <h3 className="text-xs text-ink2">{stepName(step as Step)}</h3>
              {list.map((a) => (
                <Row key={a.id} adjustment={a} taken={taken.has(a.id)} onTake={onTake} />
              ))}
            </section>
          ))}
        </details>
      )}
    </>
  );
}

function Row({
  adjustment: a,
  taken,
  onTake,
}: {
  adjustment: Adjustment;
  taken: boolean;
  onTake: (id: string, taken: boolean) => void;
}) {
  return (
    <label className="flex gap-2 py-[3px]">
      <input
        type="checkbox"
        checked={taken}
        onChange={(e) => onTake(a.id, e.currentTarget.checked)}
        className="mt-[3px]"
      />
      <span>
        {a.label}
        {a.words.length > 0 && <span className="block text-xs text-ink2">{a.words.join("; ")}</span>}
      </span>
    </label>
  );
}
