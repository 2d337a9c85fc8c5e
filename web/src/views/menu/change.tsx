import { Flex } from "@chakra-ui/react";
import { useState } from "react";
import { ApiError, call, type MenuMap } from "../../api/client";
import { useAct } from "../../api/queries";
import { ProblemNote, QuietButton } from "../../parts/basics";

const TOUCHED = ["menu", "board", "shelf", "setup", "verdict", "sheet", "recall", "history", "plan"];
type Body = Record<string, unknown>;

/** A change of a menu, which may have to be asked about first: was a corrected default so when it was measured? */
export function useMenuChange(method: string, path: string) {
  const [asked, setAsked] = useState<{ body: Body; done: (() => void) | undefined } | null>(null);
  const act = useAct((body: Body) => call<MenuMap>(method, path, body), TOUCHED);
  const run = (body: Body, done?: () => void) =>
    act.mutate(body, {
      onSuccess: () => {
        setAsked(null);
        done?.();
      },
      onError: (e) =>
        setAsked(
          e instanceof ApiError && e.problem.type.endsWith("menu-defaults") ? { body, done: done ?? undefined } : null,
        ),
    });
  const question = act.error ? (
    <ProblemNote error={act.error}>
      {asked && (
        <Flex gap="8px" mt="8px">
          <QuietButton onClick={() => run({ ...asked.body, answer: "were" }, asked.done)}>It was like that</QuietButton>
          <QuietButton onClick={() => run({ ...asked.body, answer: "changed" }, asked.done)}>
            It has changed since
          </QuietButton>
        </Flex>
      )}
    </ProblemNote>
  ) : null;
  return { run, question, error: act.error, pending: act.isPending, reset: act.reset };
}
