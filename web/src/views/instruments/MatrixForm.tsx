import { Textarea } from "@chakra-ui/react";
import { useState } from "react";
import { useAct } from "../../api/act";
import { api, got, type NamedMeter, type Sent } from "../../api/client";
import { decimal } from "../../kit/decimal";
import { PANELS } from "../../kit/displays";
import { FormPanel, problemAt } from "../../kit/FormPanel";
import { Choice, Field } from "../../kit/field";
import { Labelled } from "../../kit/Labelled";

const PLACES = ["matrix", "u_percent", "made_by", "made_on"];

type Row = [number, number, number];

/** Nine numbers as people paste them, in three rows; null where there are not nine. Decimals with a point, or with commas. */
export function nine(text: string): [Row, Row, Row] | null {
  const comma = !text.includes(".") && /\d,\d/.test(text);
  const numbers = text
    .split(comma ? /[\s;]+/ : /[\s;,[\]()]+/)
    .filter(Boolean)
    .map((t) => Number(comma ? t.replace(",", ".") : t));
  if (numbers.length !== 9 || !numbers.every(Number.isFinite)) return null;
  return [numbers.slice(0, 3) as Row, numbers.slice(3, 6) as Row, numbers.slice(6) as Row];
}

/** A correction that was made elsewhere, as a matrix. */
export function MatrixForm({ meter, done }: { meter: NamedMeter; done: () => void }) {
  const [panel, setPanel] = useState<Sent<"NewCorrection">["panel"]>("lcd");
  const [matrix, setMatrix] = useState("");
  const [u, setU] = useState("1");
  const [madeBy, setMadeBy] = useState("");
  const [madeOn, setMadeOn] = useState("");
  const [wrong, setWrong] = useState(false);
  const save = useAct(
    (body: Sent<"NewCorrection">) =>
      got(api.POST("/api/v1/meters/{meter}/corrections", { params: { path: { meter: meter.id } }, body })),
    ["instruments"],
  );
  const error = problemAt(save.error);
  const submit = () => {
    const rows = nine(matrix);
    setWrong(rows === null);
    if (rows)
      save.mutate(
        { panel, matrix: rows, u_percent: decimal(u) ?? Number.NaN, made_by: madeBy, made_on: madeOn },
        { onSuccess: done },
      );
  };
  return (
    <FormPanel
      title={`A correction of ${meter.identity.name} ${meter.identity.serial} that was made elsewhere`}
      columns="minmax(240px, 1.4fr) repeat(auto-fill, minmax(150px, 1fr))"
      error={save.error}
      places={PLACES}
      save="Save the correction"
      saving={save.isPending}
      onSave={submit}
      onLeave={done}
      testid="matrix-form"
    >
      <Labelled
        label="Matrix, three rows"
        hint="corrected XYZ = matrix × XYZ as read; the first row gives X"
        error={wrong ? "Enter nine numbers, three in a row." : error("matrix")}
        width="100%"
      >
        <Textarea
          rows={3}
          fontFamily="mono"
          autoFocus
          placeholder={"1 0 0\n0 1 0\n0 0 1"}
          value={matrix}
          onChange={(e) => setMatrix(e.target.value)}
        />
      </Labelled>
      <Labelled label="For panels">
        <Choice value={panel} choices={PANELS} onChange={setPanel} />
      </Labelled>
      <Labelled
        label="Uncertainty, %"
        hint="for each channel; 1 if you don't know"
        error={error("u_percent")}
        width="100%"
      >
        <Field w="80px" inputMode="decimal" value={u} onChange={(e) => setU(e.target.value)} />
      </Labelled>
      <Labelled label="Made with or by" error={error("made_by")} width="100%">
        <Field w="100%" fontFamily="body" maxLength={80} value={madeBy} onChange={(e) => setMadeBy(e.target.value)} />
      </Labelled>
      <Labelled label="On which display" error={error("made_on")} width="100%">
        <Field w="100%" fontFamily="body" maxLength={200} value={madeOn} onChange={(e) => setMadeOn(e.target.value)} />
      </Labelled>
    </FormPanel>
  );
}
