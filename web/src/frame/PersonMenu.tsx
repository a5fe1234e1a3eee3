import { useMutation } from "@tanstack/react-query";
import { DropdownMenu, Dialog } from "radix-ui";
import { useState } from "react";
import { changePassword, signOut, useSession } from "../api/session";
import { roleWords } from "../lib/roles";
import { Problem } from "../api/client";
import { errorText } from "../lib/format";
import { Button } from "../ui/button";
import { FieldError } from "../ui/states";
import { WritingDialog } from "./WritingDialog";

const item = "cursor-pointer rounded-[3px] px-3 py-1 outline-none data-[highlighted]:bg-wash";

/** Who is signed in, the own password, and the way out. */
export function PersonMenu() {
  const { data: session } = useSession();
  const [changing, setChanging] = useState(false);
  const [write, setWriting] = useState(false);
  const leave = useMutation({
    mutationFn: signOut,
    onSettled: () => window.location.assign("/"),
  });
  if (!session?.name) return null;
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button look="bare" className="max-w-40" aria-label={`Signed in as ${session.fullName}`}>
            <span className="truncate">{session.fullName.split(" ")[0]}</span>
          </Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            className="z-40 min-w-52 rounded-[4px] border border-ink/40 bg-sheet p-1 shadow-xl"
          >
            <p className="px-3 pt-1">{session.fullName}</p>
            <p className="px-3 pb-1 text-quiet">{roleWords[session.role]}</p>
            <DropdownMenu.Separator className="my-1 border-t" />
            <DropdownMenu.Item className={item} onSelect={() => setWriting(true)}>
              How amounts and dates are written
            </DropdownMenu.Item>
            <DropdownMenu.Item className={item} onSelect={() => setChanging(true)}>
              Change my password
            </DropdownMenu.Item>
            <DropdownMenu.Item className={item} onSelect={() => leave.mutate()}>
              Sign out
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {write && <WritingDialog onClose={() => setWriting(false)} />}
      {(changing || session.mustChange) && (
        <PasswordDialog must={session.mustChange ?? false} onClose={() => setChanging(false)} />
      )}
    </>
  );
}

function PasswordDialog({ must, onClose }: { must: boolean; onClose: () => void }) {
  const [old, setOld] = useState("");
  const [fresh, setFresh] = useState("");
  const save = useMutation({
    mutationFn: () => changePassword({ old, new: fresh }),
    onSuccess: () => window.location.assign("/"),
  });
  const at = (place: string) =>
    save.error instanceof Problem ? save.error.details.find((d) => d.location === place)?.message : undefined;
  return (
    <Dialog.Root open onOpenChange={(open) => !open && !must && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[16vh] left-1/2 z-50 w-[400px] max-w-[92vw] -translate-x-1/2 rounded-[5px] border border-ink/40 bg-sheet p-5 shadow-2xl"
        >
          <Dialog.Title className="text-[17px]">{must ? "Set your password" : "Change my password"}</Dialog.Title>
          {must && (
            <p className="mt-1">
              The demo has ended with its book: its other accounts are closed, and the password that it showed no longer
              fits. Without one of your own you cannot come in again.
            </p>
          )}
          <form
            className="mt-3 space-y-3"
            onSubmit={(e) => {
              e.preventDefault();
              save.mutate();
            }}
          >
            {!must && (
              <label className="block">
                The present one
                <input
                  type="password"
                  className="field mt-0.5 block w-full"
                  autoComplete="current-password"
                  value={old}
                  onChange={(e) => setOld(e.target.value)}
                />
              </label>
            )}
            <FieldError>{at("old")}</FieldError>
            <label className="block">
              The new one, at least 10 characters
              <input
                type="password"
                className="field mt-0.5 block w-full"
                autoComplete="new-password"
                value={fresh}
                onChange={(e) => setFresh(e.target.value)}
              />
            </label>
            <FieldError>{at("new") ?? (save.error && !at("old") ? errorText(save.error) : undefined)}</FieldError>
            <p className="text-quiet">You are signed out everywhere and sign in again with the new one.</p>
            <div className="flex gap-2">
              <Button look="ink" type="submit" disabled={save.isPending}>
                Change it
              </Button>
              {!must && (
                <Dialog.Close asChild>
                  <Button>Leave it</Button>
                </Dialog.Close>
              )}
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
