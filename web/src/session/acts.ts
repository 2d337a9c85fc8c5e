import { useAct } from "../api/act";
import { api, type Experiment, got, type Sent } from "../api/client";

/** What is asked for anew once an experiment has gone on. */
export const TOUCHED = ["experiment", "experiments", "conditions", "menu", "findings", "board", "bench"];

/** Begin an experiment. */
export const useStart = (review: number) =>
  useAct(
    (body: Sent<"NewExperiment">) =>
      got(api.POST("/api/v1/reviews/{review}/experiments", { params: { path: { review } }, body })),
    TOUCHED,
  );

/** Steer an experiment, and hand in its next step as a person did it. */
export function useSteps(experiment: Experiment) {
  const path = { experiment: experiment.id };
  const state = useAct(
    (s: Sent<"NewState">["state"]) =>
      got(api.PUT("/api/v1/experiments/{experiment}/state", { params: { path }, body: { state: s } })),
    TOUCHED,
  );
  const done = useAct(
    (body: Sent<"StageDone">) =>
      got(
        api.POST("/api/v1/experiments/{experiment}/stages/{stage}", {
          params: { path: { ...path, stage: experiment.read } },
          body,
        }),
      ),
    TOUCHED,
  );
  /** Pause the bench, or go on. */
  const pause = () => {
    if (experiment.state === "working") state.mutate("paused");
    else if (experiment.state === "paused") state.mutate("working");
  };
  return { state, done, pause };
}
