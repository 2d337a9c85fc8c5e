import { Text } from "@chakra-ui/react";
import { lazy, Suspense } from "react";
import { Link, Route, Routes as Switch, useNavigate } from "react-router";
import { Quiet, QuietButton } from "../parts/basics";
import { useKeys, useTitle } from "./keys";
import { Shell } from "./shell";

const Shelf = lazy(() => import("../views/shelf/Shelf"));
const BoardView = lazy(() => import("../views/board/BoardView"));
const PlatesView = lazy(() => import("../views/plates/PlatesView"));
const CompareView = lazy(() => import("../views/compare/CompareView"));
const InstrumentsView = lazy(() => import("../views/instruments/InstrumentsView"));
const LookView = lazy(() => import("../views/look/LookView"));
const HandView = lazy(() => import("../views/hand/HandView"));
const ImportView = lazy(() => import("../views/import/ImportView"));
const MenuView = lazy(() => import("../views/menu/MenuView"));
const TargetsView = lazy(() => import("../views/targets/TargetsView"));
const VerdictView = lazy(() => import("../views/verdict/VerdictView"));

function Nowhere() {
  useTitle("No such page");
  const go = useNavigate();
  useKeys("view", { back: () => go("/") });
  return (
    <Quiet>
      <Text as="h1" fontSize="16px">
        There is no such page.
      </Text>
      <QuietButton asChild>
        <Link to="/">To the Shelf</Link>
      </QuietButton>
    </Quiet>
  );
}

/** The views; each is loaded when it is first needed. */
export function Routes() {
  return (
    <Suspense fallback={<Quiet>Loading</Quiet>}>
      <Switch>
        <Route element={<Shell />}>
          <Route index element={<Shelf />} />
          <Route path="review/:review" element={<BoardView />} />
          <Route path="review/:review/plates/:setup/:measurement" element={<PlatesView />} />
          <Route path="review/:review/verdict" element={<VerdictView />} />
          <Route path="review/:review/look/:setup" element={<LookView />} />
          <Route path="review/:review/hand/:run" element={<HandView />} />
          <Route path="review/:review/menu" element={<MenuView />} />
          <Route path="import" element={<ImportView />} />
          <Route path="compare" element={<CompareView />} />
          <Route path="targets" element={<TargetsView />} />
          <Route path="instruments" element={<InstrumentsView />} />
          <Route path="*" element={<Nowhere />} />
        </Route>
      </Switch>
    </Suspense>
  );
}
