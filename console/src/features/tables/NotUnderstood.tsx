import { Problem } from "../../api/client";
import { Empty, Failed } from "../../ui/States";

/** What is wrong with a question, or why it could not be answered. */
export function NotUnderstood({ error, retry }: { error: unknown; retry: () => void }) {
  if (error instanceof Problem && error.status === 422) {
    return (
      <Empty title="The question cannot be understood">
        {error.faults.length > 0 ? error.faults.map((f) => <p key={f.reason}>{f.reason}</p>) : error.message}
      </Empty>
    );
  }
  return <Failed error={error} retry={retry} />;
}
