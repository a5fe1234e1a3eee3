import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { roleWords } from "../../lib/roles";
import { signIn, useSession } from "../../api/session";
import { errorText } from "../../lib/format";
import { Button } from "../../ui/button";

const roleHints: Record<string, string> = {
  reader: "sees everything, changes nothing",
  manager: "changes rules, goods and prices, and publishes",
  approver: "may also send prices that are blocked",
  administrator: "may also look after people and replace the book",
};

/** Who is there; in the demo its accounts are offered. */
export function SignIn() {
  const { data: session } = useSession();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const enter = useMutation({
    mutationFn: signIn,
    // Everything that was asked before is asked anew.
    onSuccess: () => window.location.reload(),
  });
  return (
    <main className="flex h-full items-start justify-center overflow-y-auto px-6 pt-[12vh]">
      <div className="w-[400px] max-w-full">
        <h1 className="flex items-center gap-3 text-[30px] font-bold tracking-tight">
          <img src="/mark.svg" width="38" height="38" alt="" /> Dogbane
        </h1>
        <form
          className="mt-6 space-y-3"
          onSubmit={(e) => {
            e.preventDefault();
            enter.mutate({ name: name.trim(), password });
          }}
        >
          <label className="block">
            Name
            <input
              className="field mt-0.5 block w-full"
              autoComplete="username"
              autoFocus
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
          </label>
          <label className="block">
            Password
            <input
              className="field mt-0.5 block w-full"
              type="password"
              autoComplete="current-password"
              value={password}
              onChange={(e) => setPassword(e.target.value)}
            />
          </label>
          {enter.error && (
            <p role="alert" className="font-medium text-bad">
              {errorText(enter.error)}
            </p>
          )}
          <Button look="ink" type="submit" disabled={enter.isPending || name.trim() === ""}>
            Sign in
          </Button>
        </form>
        {session && session.demo.length > 0 && (
          <section aria-label="The demo's people" className="mt-8 border-t pt-3">
            <p className="text-quiet">This is the demo. Come in as</p>
            <ul className="mt-2 space-y-2">
              {session.demo.map((d) => (
                <li key={d.name} className="flex items-baseline gap-3">
                  <Button
                    className="w-[168px] shrink-0"
                    disabled={enter.isPending}
                    onClick={() => enter.mutate({ name: d.name, password: d.password })}
                  >
                    {d.fullName}
                  </Button>
                  <span>
                    <span className="font-medium">{roleWords[d.role]}</span>
                    <span className="text-quiet">, {roleHints[d.role]}</span>
                  </span>
                </li>
              ))}
            </ul>
          </section>
        )}
      </div>
    </main>
  );
}
