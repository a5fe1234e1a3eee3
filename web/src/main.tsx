import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Navigate, Route, Routes } from "react-router";
import { useSession } from "./api/session";
import { onSignedOut } from "./api/client";
import "./index.css";
import { Tips } from "./ui/tip";
import { Toasts } from "./ui/toasts";
import { Frame } from "./frame/Frame";
import { SignIn } from "./views/signin/SignIn";
import { CrashGuard } from "./ui/crash-guard";
import { Empty, Failed } from "./ui/states";
import { fetched, whenIdle } from "./frame/views";

const views = {
  Board: fetched(() => import("./views/board/Board"), "Board"),
  Stack: fetched(() => import("./views/stack/Stack"), "Stack"),
  EditorPage: fetched(() => import("./views/stack/editor/EditorPage"), "EditorPage"),
  Basket: fetched(() => import("./views/basket/Basket"), "Basket"),
  Flags: fetched(() => import("./views/flags/Flags"), "Flags"),
  Publish: fetched(() => import("./views/publish/Publish"), "Publish"),
  CalendarView: fetched(() => import("./views/calendar/CalendarView"), "CalendarView"),
  Catalogue: fetched(() => import("./views/catalogue/Catalogue"), "Catalogue"),
  ProductPage: fetched(() => import("./views/catalogue/ProductPage"), "ProductPage"),
};
// One is drawn; the others are there before anybody goes to them.
whenIdle(() => Object.values(views).forEach((v) => void v.bring()));

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
        <Route path="board" element={<views.Board.View />} />
        <Route path="stack" element={<views.Stack.View />} />
        <Route path="stack/new" element={<views.EditorPage.View />} />
        <Route path="stack/rule/:code" element={<views.EditorPage.View />} />
        <Route path="basket" element={<views.Basket.View />} />
        <Route path="flags" element={<views.Flags.View />} />
        <Route path="publish" element={<views.Publish.View />} />
        <Route path="calendar" element={<views.CalendarView.View />} />
        <Route path="catalogue" element={<views.Catalogue.View />} />
        <Route path="catalogue/product/:sku" element={<views.ProductPage.View />} />
        <Route path="catalogue/:part" element={<views.Catalogue.View />} />
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
              <CrashGuard at="">
                <Gate />
              </CrashGuard>
            </Toasts>
          </Tips>
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
