import { board } from "../views/board/view";
import { camera } from "../views/camera/view";
import { compare } from "../views/compare/view";
import { conditions } from "../views/conditions/view";
import { findout } from "../views/findout/view";
import { hand } from "../views/hand/view";
import { importing } from "../views/import/view";
import { instruments } from "../views/instruments/view";
import { look } from "../views/look/view";
import { menu } from "../views/menu/view";
import { plates } from "../views/plates/view";
import { purposes } from "../views/purposes/view";
import { recipe } from "../views/recipe/view";
import { shelf } from "../views/shelf/view";
import { targets } from "../views/targets/view";
import { tuning } from "../views/tuning/view";
import { verdict } from "../views/verdict/view";
import type { View } from "./view";

/** Every view, in the order of the top bar and of the help: that of a review is the order of the work. */
export const VIEWS: readonly View[] = [
  shelf,
  menu,
  board,
  plates,
  findout,
  conditions,
  camera,
  tuning,
  recipe,
  verdict,
  look,
  hand,
  importing,
  compare,
  purposes,
  targets,
  instruments,
];
