import { recipeQuery } from "../../api/queries";
import { type KeyGroup, numberIn, type View } from "../../app/view";

export const RECIPE_KEYS = {
  where: "Recipe",
  keys: {
    replay: ["r", "replay it from a factory reset"],
    write: ["e", "edit it: reasons, checks, choices, workarounds, text"],
    print: ["p", "print it on one page"],
    back: ["Escape", "back to the Board"],
  },
} as const satisfies KeyGroup;

export const recipe: View = {
  route: "review/:review/recipe/:setup",
  title: "Recipe",
  keys: [RECIPE_KEYS],
  query: (at) => [recipeQuery(numberIn(at, "review"), numberIn(at, "setup"))],
  load: () => import("./RecipeView"),
};
