import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Navigate, Route, Routes } from "react-router";
import { useSession } from "./api/session";
import { onSignedOut } from "./api/client";
import "./index.css";
import { Tips } from "./ui/tip";
import { Toasts } from "./ui/toasts";
import { Basket } from "./views/basket/Basket";
import { Board } from "./views/board/Board";
import { CalendarView } from "./views/calendar/CalendarView";
import { Catalogue } from "./views/catalogue/Catalogue";
import { ProductPage } from "./views/catalogue/ProductPage";
import { Flags } from "./views/flags/Flags";
import { Frame } from "./frame/Frame";
import { Publish } from "./views/publish/Publish";
import { EditorPage } from "./views/stack/editor/EditorPage";
import { Stack } from "./views/stack/Stack";
import { SignIn } from "./views/signin/SignIn";
import { Empty, Failed } from "./ui/states";

const client = new QueryClient({
  defaultOptions: { queries: { retry: 1, staleTime: 2000, refetchOnWindowFocus: true } },
});
onSignedOut(() => void client.invalidateQueries({ queryKey: ["session"] }));

/** The workbench for whoever is signed in, else the way in. */
function Gate() {
  const { data: session, error, refetch } = useSession();
  if (error && !session) return <Failed error={error} retry={() => void refetch()} />;
  if (!session) return null;
  if (session.name === "") return <SignIn />;
  return (
    <Routes>
      <Route element={<Frame />}>
        <Route index element={<Navigate to="/board" replace />} />
        <Route path="board" element={<Board />} />
        <Route path="stack" element={<Stack />} />
        <Route path="stack/new" element={<EditorPage />} />
        <Route path="stack/rule/:code" element={<EditorPage />} />
        <Route path="basket" element={<Basket />} />
        <Route path="flags" element={<Flags />} />
        <Route path="publish" element={<Publish />} />
        <Route path="calendar" element={<CalendarView />} />
        <Route path="catalogue" element={<Catalogue />} />
        <Route path="catalogue/product/:sku" element={<ProductPage />} />
        <Route path="catalogue/:part" element={<Catalogue />} />
        <Route path="*" element={<Empty title="There is no such page">Choose a view above.</Empty>} />
      </Route>
    </Routes>
  );
}

const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        <BrowserRouter>
          <Tips>
            <Toasts>
              <Gate />
            </Toasts>
          </Tips>
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
