import { useState } from "react";
import { useMay } from "../../../api/session";
import { CopyDialog } from "../../../parts/copies/CopyDialog";
import { Button } from "../../../ui/button";
import { Choice } from "../../../ui/blanks";
import type { Form, Place } from "../../../parts/rule/form";
import { WhenControl } from "../../../parts/rule/WhenControl";
import { WhoControl } from "../../../parts/rule/WhoControl";
import { readCampaign, writeCampaign } from "./forms";
import type { FormProps } from "./ItemDesk";

/** Rules that start and stop together: when, for whom and where the campaign lets them take part. */
export function CampaignForm({ doc, set, errorAt, saved }: FormProps<"campaigns">) {
  const may = useMay("manager");
  const [copying, setCopying] = useState(false);
  const [form, setForm] = useState(() => readCampaign(doc));
  const errors = new Map<Place, string>();
  const take = (place: Place, path: string) => {
    const e = errorAt(path);
    if (e) errors.set(place, e);
  };
  for (const part of ["from", "to", "days", "hours", "weekly", "yearly"] as const) take(part, `window.${part}`);
  take("audience", "audience");
  take("channels", "channels");
  const change = (part: Partial<Form>) => {
    const next = { ...form, ...part };
    setForm(next);
    set(writeCampaign(next));
  };
  return (
    <div className="space-y-1 leading-8">
      <p>
        It is{" "}
        <Choice
          label="Status"
          value={form.status}
          options={[
            ["on", "on"],
            ["off", "off"],
            ["draft", "a draft"],
          ]}
          onChange={(status) => change({ status })}
        />
        , and its rules take part
      </p>
      <WhenControl campaign form={form} errors={errors} change={change} />
      <WhoControl pieces={false} form={form} errors={errors} change={change} />
      {saved && may && (
        <p>
          <Button onClick={() => setCopying(true)}>Copy it with its rules to another time …</Button>
        </p>
      )}
      {copying && <CopyDialog of={{ campaign: doc.code }} onClose={() => setCopying(false)} />}
    </div>
  );
}
