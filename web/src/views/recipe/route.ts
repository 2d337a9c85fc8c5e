import { numberIn, type View } from "../../app/view";
import { RECIPE_KEYS } from "./keys";
import { recipeQuery } from "./queries";

export const view: View = {
  place: 90,
  route: "review/:review/recipe/:setup",
  title: "Recipe",
  keys: [RECIPE_KEYS],
  query: (at) => [recipeQuery(numberIn(at, "review"), numberIn(at, "setup"))],
  load: () => import("./RecipeView"),
};
