import { Box, Flex, Grid, Input, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useAct } from "../../api/act";
import { ApiError, api, got, type MenuRead } from "../../api/client";
import { LampButton, ProblemNote, QuietButton } from "../../kit/basics";
import { Dialog } from "../../kit/Dialog";
import { KINDS, PANELS } from "../../kit/displays";
import { DraftNote, useDraft } from "../../kit/drafts";
import { Choice, Select } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";
import { useMenus } from "../menu/queries";
import { Area, HowToWrite } from "../menu/writing";
import { MenuPreview } from "./MenuPreview";

const EMPTY = {
  maker: "",
  model: "",
  kind: "television",
  panel: "lcd",
  serial: "",
  firmware: "",
  modes: "",
  controls: "",
};

/** A review that starts with a display's name; modes and controls can be pasted now or written down later. */
export default function NewDisplay({ close }: { close: () => void }) {
  const draft = useDraft("new display", EMPTY);
  const v = draft.value;
  const go = useNavigate();
  const menus = useMenus();
  const [like, setLike] = useState("");
  const add = useAct(
    (body: typeof EMPTY & { like: number | null; roles: Record<string, string> }) =>
      got(api.POST("/api/v1/displays", { body })),
    ["shelf"],
  );
  const [menu, setMenu] = useState<MenuRead | null>(null);
  // Guesses at what a control sets that the person does not confirm.
  const [off, setOff] = useState<string[]>([]);
  const read = useAct(() =>
    got(api.POST("/api/v1/displays/menu", { body: { modes: v.modes, controls: v.controls, kind: v.kind } })),
  );
  const error = read.error ?? add.error;
  const place = error instanceof ApiError ? error.problem.place : undefined;
  const wrong = (name: string) => (place === name && error instanceof ApiError ? error.problem.detail : undefined);
  const written = v.modes.trim() !== "" || v.controls.trim() !== "";
  const start = () => {
    const guessed = menu?.controls.filter((c) => c.guessed && !off.includes(c.path)) ?? [];
    add.mutate(
      {
        ...v,
        like: like === "" ? null : Number(like),
        roles: Object.fromEntries(guessed.map((c) => [c.path, c.guessed ?? ""])),
      },
      {
        onSuccess: ({ id }) => {
          draft.clear();
          go(`/review/${id}`);
        },
        // Where it is wrong is in the form.
        onError: () => setMenu(null),
      },
    );
  };
  const set = (name: keyof typeof EMPTY) => (value: string) => draft.set((old) => ({ ...old, [name]: value }));
  const text = (name: keyof typeof EMPTY, label: string, more: object = {}) => (
    <Labelled label={label} error={wrong(name)}>
      <Input
        size="sm"
        h="30px"
        w="100%"
        bg="sheet"
        borderColor="control"
        value={v[name]}
        onChange={(e) => set(name)(e.target.value)}
        maxLength={80}
        autoComplete="off"
        {...more}
      />
    </Labelled>
  );
  return (
    <Dialog label="A display of your own" width="920px" onClose={close}>
      {(shut) => (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            if (written && !menu) read.mutate(undefined, { onSuccess: setMenu });
            else start();
          }}
        >
          <Text as="h2" fontSize="16px" fontWeight="600">
            A display of your own
          </Text>
          {menu && <MenuPreview menu={menu} off={off} onOff={setOff} />}
          <Box hidden={menu !== null}>
            <Text color="ink2" mb="12px">
              Only the name is required. You can add the rest later.
            </Text>
            <DraftNote draft={draft} />
            <Grid templateColumns={{ base: "1fr 1fr", md: "repeat(4, 1fr)" }} gap="10px 14px">
              {text("maker", "Maker", { autoFocus: true, required: true })}
              {text("model", "Model", { required: true })}
              <Labelled label="Kind" error={wrong("kind")}>
                <Choice w="100%" value={v.kind} choices={KINDS} onChange={set("kind")} />
              </Labelled>
              <Labelled label="Panel" error={wrong("panel")}>
                <Choice w="100%" value={v.panel} choices={PANELS} onChange={set("panel")} />
              </Labelled>
              {text("serial", "Serial number")}
              {text("firmware", "Firmware")}
              {(menus.data?.length ?? 0) > 0 && (
                <Labelled label="Copy menu from" hint="optional" error={wrong("like")}>
                  <Select value={like} onChange={(e) => setLike(e.target.value)} w="100%">
                    <option value="">no display yet</option>
                    {menus.data?.map((m) => (
                      <option key={m.unit} value={m.unit}>
                        {m.name}, sample {m.sample}
                      </option>
                    ))}
                  </Select>
                </Labelled>
              )}
            </Grid>
            <Grid
              templateColumns={{ base: "1fr", md: "minmax(0, 1fr) minmax(0, 1.5fr) minmax(0, 1.1fr)" }}
              gap="14px"
              mt="14px"
            >
              <Labelled
                label="Picture modes"
                error={wrong("modes")}
                hint="one a line; signal and target may follow: Film, sdr, bt709_bt1886"
              >
                <Area
                  rows={11}
                  value={v.modes}
                  onChange={(e) => set("modes")(e.target.value)}
                  placeholder={"Film\nStandard\nGame, srgb"}
                />
              </Labelled>
              <Labelled label="Controls" error={wrong("controls")} hint="as they appear in the menu">
                <Area rows={11} value={v.controls} onChange={(e) => set("controls")(e.target.value)} />
              </Labelled>
              <HowToWrite />
            </Grid>
          </Box>
          {error && !place && (
            <Box mt="12px">
              <ProblemNote error={error} />
            </Box>
          )}
          <Flex gap="8px" mt="16px">
            <LampButton
              type="submit"
              loading={add.isPending || read.isPending}
              key={menu ? "start" : "read"}
              autoFocus={menu !== null}
            >
              {written && !menu ? "Check the menu" : "Start the review"}
            </LampButton>
            {menu && <QuietButton onClick={() => setMenu(null)}>Back to the text</QuietButton>}
            <QuietButton onClick={() => shut()}>Close</QuietButton>
          </Flex>
        </form>
      )}
    </Dialog>
  );
}
