import { X } from "lucide-react";
import { useJobs } from "../state/jobs";
import { type Notice, useNotices } from "../state/notices";

/** Sentences at the foot of the window. */
export function NoticeList() {
  const { list, dismiss } = useNotices();
  const available = useJobs((s) => s.available);
  return (
    <div
      className="pointer-events-none fixed bottom-10 left-1/2 z-50 flex w-[560px] -translate-x-1/2 flex-col gap-2"
      role="status"
    >
      {!available && <Line text="The database does not answer at the moment. It is being started again." bad />}
      {list.map((n) => (
        <Line key={n.id} text={n.text} bad={n.bad} action={n.action} onClose={() => dismiss(n.id)} />
      ))}
    </div>
  );
}

interface LineProps {
  text: string;
  bad: boolean;
  action?: Notice["action"];
  onClose?: () => void;
}

function Line({ text, bad, action, onClose }: LineProps) {
  return (
    <div
      className={`pointer-events-auto flex items-start gap-3 border border-ink bg-white px-3 py-2 shadow-lg ${bad ? "border-l-[6px] border-l-wax" : ""}`}
    >
      <span className="grow">{text}</span>
      {action && (
        <button
          type="button"
          className="shrink-0 font-semibold underline"
          onClick={() => {
            action.run();
            onClose?.();
          }}
        >
          {action.words}
        </button>
      )}
      {onClose && (
        <button type="button" aria-label="Dismiss" onClick={onClose} className="text-ink2 hover:text-ink">
          <X size={16} aria-hidden />
        </button>
      )}
    </div>
  );
}
