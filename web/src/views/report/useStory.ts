import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { ApiError, api, type DraftReport, from, got } from "../../api/client";
import { useDraft } from "../../kit/drafts";
import { type Edit, editOf, type FieldName, merged, sameEdit } from "./edit";
import { reportQuery } from "./queries";

/** After so long a pause in typing it is saved. */
const PAUSE_MS = 900;

/** What was typed and not saved, with the version and the text that it was typed into. */
interface Unsaved {
  version: string;
  base: Edit;
  edit: Edit;
}

/** Two people changed the same: what the other one saved, and which parts. */
export interface Clash {
  theirs: DraftReport;
  fields: FieldName[];
}

/**
 * The editor's part of a report: typed, kept in the browser at once, saved after a pause. If somebody else saved meanwhile, what
 * only one of the two changed is put together; for what both changed, `clash` asks.
 */
export function useStory(review: number, report: DraftReport) {
  const client = useQueryClient();
  const saved = editOf(report);
  const draft = useDraft<Unsaved | null>(`report ${review}`, null);
  const [error, setError] = useState<unknown>(null);
  const [saving, setSaving] = useState(false);
  const [clash, setClash] = useState<Clash | null>(null);
  const edit = draft.value?.edit ?? saved;
  const latest = useRef({ report, draft });
  latest.current = { report, draft };
  const flight = useRef<Promise<boolean> | null>(null);

  const take = (next: DraftReport) => client.setQueryData(reportQuery(review).queryKey, next);

  const change = (make: (old: Edit) => Edit) =>
    draft.set((old) => {
      const start = old ?? {
        version: latest.current.report.version,
        base: editOf(latest.current.report),
        edit: editOf(latest.current.report),
      };
      const next = make(start.edit);
      return sameEdit(next, start.base) ? null : { ...start, edit: next };
    });

  async function put(edit: Edit, version: string, confirmed: string[] = []) {
    return got(
      api.PUT("/api/v1/reviews/{review}/report", {
        params: { path: { review } },
        body: { ...edit, confirmed },
        ...from(version),
      }),
    );
  }

  /**
   * Save what was typed, one save after the other; what is typed while it is being saved stays unsaved. False if it could not be
   * saved, or if somebody else saved meanwhile.
   */
  async function save(confirmed: string[] = []): Promise<boolean> {
    while (flight.current) await flight.current;
    flight.current = saveNow(confirmed).finally(() => {
      flight.current = null;
    });
    return await flight.current;
  }

  async function saveNow(confirmed: string[]): Promise<boolean> {
    const now = latest.current;
    const unsaved = now.draft.value;
    if (!unsaved && confirmed.length === 0) return true;
    setSaving(true);
    setError(null);
    const sent = unsaved?.edit ?? editOf(now.report);
    try {
      const next = await put(sent, unsaved?.version ?? now.report.version, confirmed);
      take(next);
      draft.set((old) =>
        old && !sameEdit(old.edit, sent) ? { version: next.version, base: editOf(next), edit: old.edit } : null,
      );
      return true;
    } catch (e) {
      if (e instanceof ApiError && e.problem.status === 412) await join();
      else setError(e);
      return false;
    } finally {
      setSaving(false);
    }
  }

  /** Somebody else saved: put both together, and ask about what both changed. */
  async function join() {
    const theirs = await got(api.GET("/api/v1/reviews/{review}/report", { params: { path: { review } } }));
    const unsaved = latest.current.draft.value;
    take(theirs);
    if (!unsaved) return;
    const { edit, both } = merged(unsaved.base, unsaved.edit, editOf(theirs));
    draft.set(() => ({ version: theirs.version, base: editOf(theirs), edit }));
    setClash(both.length > 0 ? { theirs, fields: both } : null);
  }

  /** The other's text for a part that both changed. */
  const takeTheirs = (field: FieldName) => {
    if (!clash) return;
    const theirs = editOf(clash.theirs);
    change((old) => ({ ...old, [field]: theirs[field] }));
    settle(field);
  };
  const settle = (field: FieldName) => {
    const left = clash?.fields.filter((f) => f !== field) ?? [];
    setClash(clash && left.length > 0 ? { ...clash, fields: left } : null);
  };

  async function step(which: "undo" | "redo") {
    await save();
    setError(null);
    try {
      const headers = from(latest.current.report.version);
      const params = { path: { review } };
      take(
        which === "undo"
          ? await got(api.POST("/api/v1/reviews/{review}/report/undo", { params, ...headers }))
          : await got(api.POST("/api/v1/reviews/{review}/report/redo", { params, ...headers })),
      );
    } catch (e) {
      if (e instanceof ApiError && e.problem.status === 412) await join();
      else setError(e);
    }
  }

  const text = JSON.stringify(draft.value?.edit ?? null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the pause begins anew with each change of the text
  useEffect(() => {
    if (text === "null" || clash) return;
    const timer = setTimeout(() => void save(), PAUSE_MS);
    return () => clearTimeout(timer);
  }, [text, clash]);

  return {
    edit,
    change,
    save,
    undo: () => step("undo"),
    redo: () => step("redo"),
    unsaved: draft.value !== null,
    saving,
    error,
    clash,
    keepMine: settle,
    takeTheirs,
  };
}

export type StoryState = ReturnType<typeof useStory>;
