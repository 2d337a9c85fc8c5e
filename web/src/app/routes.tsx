import { Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { type ComponentType, lazy, Suspense, useLayoutEffect } from "react";
import { Link, Route, Routes as Switch, useLocation, useNavigate, useParams } from "react-router";
import { Quiet, QuietButton } from "../kit/basics";
import { BACK } from "./keymap";
import { useKeys, useTitle } from "./keys";
import { Shell } from "./shell";
import type { View } from "./view";
import { VIEWS } from "./views";

function Nowhere() {
  useTitle("No such page");
  const go = useNavigate();
  useKeys(BACK, { back: () => go("/") });
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

/** A view at its address: named at once, and its data asked for while its script is still on the way. */
function At({ view, body: Body }: { view: View; body: ComponentType }) {
  const client = useQueryClient();
  const path = useParams();
  const { pathname, search } = useLocation();
  // biome-ignore lint/correctness/useExhaustiveDependencies: each address is asked for when it is come to
  useLayoutEffect(() => {
    document.title = `${view.title} · Lumenar`;
    for (const query of view.query?.({ path, search: new URLSearchParams(search) }) ?? []) client.prefetchQuery(query);
  }, [view, pathname, client]);
  return (
    <Suspense fallback={<Quiet>Loading</Quiet>}>
      <Body />
    </Suspense>
  );
}

const BODIES = VIEWS.map((view) => ({ view, body: lazy(view.load) }));

/** The views; each is loaded when it is first needed. */
export function Routes() {
  return (
    <Switch>
      <Route element={<Shell />}>
        {BODIES.map(({ view, body }) => (
          <Route key={view.route} path={view.route} element={<At view={view} body={body} />} />
        ))}
        <Route path="*" element={<Nowhere />} />
      </Route>
    </Switch>
  );
}
