/** Why a room has nothing to work on, and the way to get something. */
import { showRoom, useStore } from "../state/store";
import { Button } from "../widgets/Button";

export function NothingYet({ todo }: { todo: string }) {
  const several = useStore((s) => (s.scene?.populations.length ?? 0) > 0);
  return (
    <div className="flex flex-col items-start gap-2.5 p-4">
      <p className="text-soft">{several ? `Choose a population on the left to ${todo} it.` : `There is nothing to ${todo} yet: bring or make elements first.`}</p>
      {!several && (
        <Button strong onClick={() => showRoom("gather")}>
          Go to Gather
        </Button>
      )}
    </div>
  );
}
