import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactElement } from "react";
import { MemoryRouter, useLocation } from "react-router";
import { Tips } from "../ui/tip";
import { Toasts } from "../ui/toasts";

function Where({ tell }: { tell: (address: string) => void }) {
  const { pathname, search } = useLocation();
  tell(pathname + search);
  return null;
}

/** Draws a part of the page as the frame would, at an address, in the place of what was drawn; gives a person who uses it. */
export function page(part: ReactElement, address = "/board") {
  cleanup();
  const client = new QueryClient({ defaultOptions: { queries: { retry: false }, mutations: { retry: false } } });
  let at = address;
  const whole = (inner: ReactElement) => (
    <QueryClientProvider client={client}>
      <MemoryRouter initialEntries={[address]}>
        <Where tell={(a) => (at = a)} />
        <Tips>
          <Toasts>{inner}</Toasts>
        </Tips>
      </MemoryRouter>
    </QueryClientProvider>
  );
  const drawn = render(whole(part));
  return {
    user: userEvent.setup(),
    again: (next: ReactElement) => drawn.rerender(whole(next)),
    away: drawn.unmount,
    address: () => at,
    client,
  };
}
