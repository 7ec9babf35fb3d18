import { useEffect } from "react";
import { useBench } from "../../../state/bench";
import { newPass, passesOf, saveAs, usePasses, withDodgeAndBurn, withMoved, withNewPass } from "../../../state/passes";
import { Button, Hint } from "../../../ui/controls";
import { PassRow } from "../passes/pass_row";
import { useTinyAreas } from "../passes/tiny_areas";
import { usePassKeys } from "../passes/use_pass_keys";
import { chooseTerm } from "../passes/where";
import type { StepProps } from "./control";

/** The pull sheet: passes read from the bottom, printed first, to the top. */
export function Passes({ frame, recipe }: StepProps) {
  const passes = passesOf(recipe);
  const tiny = useTinyAreas(frame.id, recipe);
  const open = useBench((s) => s.openPass);
  usePassKeys();
  // a tool is nobody's when its pass is gone, or another frame comes
  useEffect(() => {
    if (open && !passes.some((p) => p.id === open)) usePasses.getState().open(null);
  }, [open, passes]);
  useEffect(() => () => usePasses.setState({ tool: "none", term: null }), []);
  const add = () => {
    const fresh = newPass(passes);
    saveAs("", (r) => withNewPass(r, fresh));
    usePasses.getState().open(fresh.id);
  };
  const dodge = () => {
    const made = withDodgeAndBurn(recipe);
    saveAs("", () => made.recipe);
    usePasses.getState().open(made.pass.id);
    chooseTerm(made.term, made.pass);
  };
  const move = (id: string, by: number) => {
    const at = passes.findIndex((p) => p.id === id);
    if (at + by >= 0 && at + by < passes.length) saveAs("", (r) => withMoved(r, id, at + by));
  };
  return (
    <>
      <div className="flex items-center px-3.5 pb-2">
        <span className="text-xs text-ink2">
          {passes.length === 0 ? "" : passes.length === 1 ? "1 pass" : `${passes.length} passes`}
        </span>
        <span className="grow" />
        <Hint text="Two passes with a brush each, lighter and darker, that can be weakened afterwards">
          <Button quiet className="mr-1 !px-1" disabled={passes.length >= 39} onClick={dodge}>
            Dodge and burn
          </Button>
        </Hint>
        <Button disabled={passes.length >= 40} onClick={add}>
          New pass
        </Button>
      </div>
      {passes.length === 0 && (
        <p className="border-t border-rule px-3.5 pt-2.5 text-sm text-ink2">
          A pass is one more adjustment laid over the picture: all of it, or where you say. Paint, draw a band or a
          ring, point at a colour, or have sky and people found.
        </p>
      )}
      <ol aria-label="Passes, the last one printed first" className="border-b border-rule">
        {[...passes].reverse().map((pass) => (
          <PassRow
            key={pass.id}
            frame={frame}
            pass={pass}
            tiny={tiny.get(pass.id)}
            opened={pass.id === open}
            before={passes[passes.indexOf(pass) + 1]?.group ?? ""}
            onMove={(by) => move(pass.id, by)}
            onPlace={(other) => {
              const to = passes.findIndex((p) => p.id === pass.id);
              if (other !== pass.id && passes.some((p) => p.id === other)) saveAs("", (r) => withMoved(r, other, to));
            }}
          />
        ))}
      </ol>
    </>
  );
}
