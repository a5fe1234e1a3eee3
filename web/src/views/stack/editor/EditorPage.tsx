import { useMemo } from "react";
import { useParams } from "react-router";
import { readNewRule } from "../../../lib/address";
import { useRules } from "../../../api/rules";
import { useViewpoint } from "../../../lib/viewpoint";
import type { Layer } from "../../../api/client";
import { Empty, Failed } from "../../../ui/states";
import { newRuleDraft } from "../unfinished";
import { Editor } from "./Editor";
import { codeFrom, emptyForm, readForm, type Form } from "../../../parts/rule/form";
import { newValues } from "../../../parts/rule/selection";

/** The editor of a saved rule, of a copy of one, or of a new one, by the address. */
export function EditorPage() {
  const { code } = useParams();
  const { params } = useViewpoint();
  const { data: rules, error, refetch } = useRules();
  const { copy, layer, chosen, ...here } = readNewRule(params);
  const loaded = rules !== undefined;
  const start = useMemo(() => {
    if (!rules) return null;
    const codes = new Set(rules.map((r) => r.rule.code));
    const last = (l: Layer) => Math.max(0, ...rules.filter((r) => r.rule.layer === l).map((r) => r.rule.rank));
    if (code !== undefined) {
      const row = rules.find((r) => r.rule.code === code);
      return row ? { form: readForm(row.rule), etag: row.etag, saved: row.rule.code } : undefined;
    }
    const source = rules.find((r) => r.rule.code === copy)?.rule;
    if (!source) {
      const form = { ...emptyForm(layer, last(layer) + 1), ...(here.here && whereOneStands(here)) };
      const skus = chosen ? sessionStorage.getItem("dogbane-chosen") : null;
      if (skus) form.selection.root.parts.push(newValues("sku", JSON.parse(skus) as string[]));
      else if (here.here && here.category) form.selection.root.parts.push(newValues("category", [here.category]));
      return { form, etag: "", saved: "" };
    }
    const name = `${source.name ?? source.code}, copy`;
    return {
      form: {
        ...readForm(source),
        name,
        code: codeFrom(name, codes),
        rank: String(last(source.layer) + 1),
        status: "draft" as const,
      },
      etag: "",
      saved: "",
    };
    // The form is read once per address: answers that come in while somebody types must not overwrite it.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [loaded, code, copy, layer]);
  if (error && !rules) return <Failed error={error} retry={() => void refetch()} />;
  if (start === null) return null;
  if (start === undefined)
    return <Empty title={`There is no rule ${code}`}>It may have been deleted; the notice of that offers Undo.</Empty>;
  return (
    <Editor
      key={`${code ?? ""} ${copy} ${layer}`}
      draftKey={code === undefined ? newRuleDraft(copy, layer) : `dogbane-rule ${code} ${copy} ${layer}`}
      start={start.form}
      etag={start.etag}
      saved={start.saved}
      codes={new Set(rules?.map((r) => r.rule.code))}
      copied={copy !== ""}
    />
  );
}

/** For whom and where a new rule is that was begun at a viewpoint: what was chosen there. */
function whereOneStands({ channel, who }: { channel: string; who: string }): Partial<Form> {
  const [kind, ...rest] = who.split(":");
  const code = rest.join(":");
  return {
    ...(channel && channel !== "none" && { channels: [channel] }),
    ...(kind === "group" && code && { groups: [code] }),
    ...(kind === "customer" && code && { customers: [code] }),
  };
}
