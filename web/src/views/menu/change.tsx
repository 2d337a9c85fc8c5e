import { Flex } from "@chakra-ui/react";
import { useState } from "react";
import { useAct } from "../../api/act";
import { ApiError, api, from, got, type MenuMap, type Sent } from "../../api/client";
import { ProblemNote, QuietButton } from "../../kit/basics";

const TOUCHED = ["menu", "board", "shelf", "setup", "verdict", "sheet", "recall", "history", "plan"];
type Answer = "ask" | "were" | "changed";

/** The ways to change the menu of a sample, each made from the map as it was read. */
export function changesOf(review: number, map: MenuMap) {
  const at = { params: { path: { review }, query: { unit: map.unit } }, ...from(map.version) };
  return {
    texts: (body: Sent<"MenuTexts">) => got(api.PUT("/api/v1/reviews/{review}/menu", { ...at, body })),
    control: (body: Sent<"ControlChange">) => got(api.PATCH("/api/v1/reviews/{review}/menu/controls", { ...at, body })),
    take: (body: Sent<"TakeOver">) => got(api.POST("/api/v1/reviews/{review}/menu/take", { ...at, body })),
    file: (body: Sent<"MenuFile">) => got(api.POST("/api/v1/reviews/{review}/menu/file", { ...at, body })),
    undo: () => got(api.POST("/api/v1/reviews/{review}/menu/undo", at)),
  };
}

/** A change of a menu, which may have to be asked about first: was a corrected default so when it was measured? */
export function useMenuChange<B extends { answer?: Answer }>(act: (body: B) => Promise<MenuMap>) {
  const [asked, setAsked] = useState<{ body: B; done: (() => void) | undefined } | null>(null);
  const made = useAct(act, TOUCHED);
  const run = (body: B, done?: () => void) =>
    made.mutate(body, {
      onSuccess: () => {
        setAsked(null);
        done?.();
      },
      onError: (e) =>
        setAsked(e instanceof ApiError && e.problem.type.endsWith("menu-defaults") ? { body, done } : null),
    });
  const question = made.error ? (
    <ProblemNote error={made.error}>
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
  return { run, question, pending: made.isPending };
}
