import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { addPerson, changePerson, peopleQuery } from "../../api/people";
import { roleWords } from "../../lib/roles";
import { Problem } from "../../api/client";
import { errorText } from "../../lib/format";
import { Button } from "../../ui/button";
import { FieldError } from "../../ui/states";
import { Journal } from "./Journal";

type Role = "reader" | "manager" | "approver" | "administrator";
interface Entry {
  name: string;
  fullName: string;
  role: Role;
  active: boolean;
}

/** Who may sign in, and as what. */
export function PeoplePanel() {
  const client = useQueryClient();
  const { data } = useQuery(peopleQuery);
  const done = () =>
    Promise.all([
      client.invalidateQueries({ queryKey: ["people"] }),
      client.invalidateQueries({ queryKey: ["journal"] }),
    ]);
  return (
    <div className="h-full overflow-y-auto">
      <div className="mx-auto max-w-[980px] px-5 py-3">
        <table className="w-full">
          <thead className="text-left text-[12px] text-quiet">
            <tr>
              <th className="font-normal">signs in as</th>
              <th className="font-normal">name</th>
              <th className="font-normal">role</th>
              <th className="font-normal">may sign in</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {data?.people.map((p) => (
              <PersonRow key={p.name} person={p} onDone={done} />
            ))}
          </tbody>
        </table>
        <NewPerson onDone={done} />
        <Journal />
      </div>
    </div>
  );
}

const RoleSelect = ({ value, onChange, label }: { value: Role; onChange: (r: Role) => void; label: string }) => (
  <select aria-label={label} className="field" value={value} onChange={(e) => onChange(e.target.value as Role)}>
    {Object.entries(roleWords).map(([key, name]) => (
      <option key={key} value={key}>
        {name}
      </option>
    ))}
  </select>
);

function PersonRow({ person, onDone }: { person: Entry; onDone: () => unknown }) {
  const [form, setForm] = useState({ ...person, password: "" });
  const save = useMutation({
    mutationFn: () =>
      changePerson(person.name, {
        fullName: form.fullName,
        role: form.role,
        active: form.active,
        ...(form.password && { password: form.password }),
      }),
    onSuccess: () => {
      setForm((f) => ({ ...f, password: "" }));
      onDone();
    },
  });
  const dirty =
    form.fullName !== person.fullName ||
    form.role !== person.role ||
    form.active !== person.active ||
    form.password !== "";
  return (
    <tr className="border-t" data-person={person.name}>
      <td className="py-1.5 font-medium">{person.name}</td>
      <td>
        <input
          aria-label={`Name of ${person.name}`}
          className="field w-48"
          value={form.fullName}
          onChange={(e) => setForm({ ...form, fullName: e.target.value })}
        />
      </td>
      <td>
        <RoleSelect
          label={`Role of ${person.name}`}
          value={form.role}
          onChange={(role) => setForm({ ...form, role })}
        />
      </td>
      <td>
        <input
          type="checkbox"
          className="accent-ink"
          aria-label={`${person.name} may sign in`}
          checked={form.active}
          onChange={(e) => setForm({ ...form, active: e.target.checked })}
        />
      </td>
      <td className="text-right">
        <input
          type="password"
          aria-label={`New password of ${person.name}`}
          placeholder="new password"
          autoComplete="new-password"
          className="field mr-2 w-36"
          value={form.password}
          onChange={(e) => setForm({ ...form, password: e.target.value })}
        />
        <Button disabled={!dirty || save.isPending} onClick={() => save.mutate()}>
          Save
        </Button>
        {save.error && (
          <div>
            <FieldError>{errorText(save.error)}</FieldError>
          </div>
        )}
      </td>
    </tr>
  );
}

function NewPerson({ onDone }: { onDone: () => unknown }) {
  const blank = { name: "", fullName: "", role: "reader" as Role, password: "", active: true };
  const [form, setForm] = useState(blank);
  const add = useMutation({
    mutationFn: () => addPerson(form),
    onSuccess: () => {
      setForm(blank);
      onDone();
    },
  });
  const at = (place: string) =>
    add.error instanceof Problem ? add.error.details.find((d) => d.location === place)?.message : undefined;
  const text = (key: "name" | "fullName" | "password", label: string, type = "text") => (
    <label className="block">
      <span className="block text-[12px] text-quiet">{label}</span>
      <input
        type={type}
        autoComplete="off"
        className="field block w-48"
        aria-invalid={at(key) !== undefined}
        value={form[key]}
        onChange={(e) => setForm({ ...form, [key]: e.target.value })}
      />
      <FieldError>{at(key)}</FieldError>
    </label>
  );
  return (
    <form
      className="mt-6 flex flex-wrap items-start gap-4 border-t pt-3"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate();
      }}
    >
      <h2 className="w-full">Somebody new</h2>
      {text("name", "Signs in as")}
      {text("fullName", "Name")}
      {text("password", "First password", "password")}
      <label className="block">
        <span className="block text-[12px] text-quiet">Role</span>
        <RoleSelect label="Role of the new person" value={form.role} onChange={(role) => setForm({ ...form, role })} />
      </label>
      <Button look="ink" type="submit" className="mt-[18px]" disabled={add.isPending}>
        Add
      </Button>
      {add.error && !(add.error instanceof Problem && add.error.details.length > 0) && (
        <FieldError>{errorText(add.error)}</FieldError>
      )}
    </form>
  );
}
