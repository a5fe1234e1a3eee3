import { Fragment } from "react";
import { NavLink, Navigate, useParams } from "react-router";
import { useChecks } from "../../api/checks";
import { useMay } from "../../api/session";
import { carried } from "../../lib/address";
import { useViewpoint } from "../../lib/viewpoint";
import { Empty } from "../../ui/states";
import { BookPanel } from "./BookPanel";
import { ChecksPanel } from "./ChecksPanel";
import { CodesPanel } from "./codes/CodesPanel";
import { KeysPanel } from "./KeysPanel";
import { CampaignForm } from "./desk/CampaignForm";
import { ChannelForm } from "./desk/ChannelForm";
import { ItemDesk } from "./desk/ItemDesk";
import { LadderForm } from "./desk/LadderForm";
import { CustomerForm, GroupForm } from "./desk/PeopleForms";
import { RangeForm } from "./desk/RangeForm";
import { ImportPanel } from "./ImportPanel";
import { LogList } from "./LogList";
import { PeoplePanel } from "./PeoplePanel";
import { Products } from "./Products";
import { SettingsPanel } from "./settings/SettingsPanel";
import { goodsWords, windowWords } from "../../lib/sentence";

const uses = (n: number) => (n === 0 ? "used nowhere" : n === 1 ? "used by one rule" : `used by ${n} rules`);

const parts = [
  [
    ["products", "Products"],
    ["import", "Import"],
    ["ranges", "Ranges"],
  ],
  [
    ["ladders", "Ladders"],
    ["campaigns", "Campaigns"],
    ["codes", "Codes"],
    ["settings", "Rates and taxes"],
  ],
  [
    ["customers", "Customers"],
    ["groups", "Groups"],
    ["channels", "Channels"],
  ],
  [
    ["checks", "Checks"],
    ["log", "Changes"],
    ["book", "Whole book"],
    ["people", "People"],
    ["keys", "Keys"],
  ],
] as const;

/** What prices rest on: goods, terms, buyers and channels, and the record of it all. */
export function Catalogue() {
  const { part = "products" } = useParams();
  const { params } = useViewpoint();
  const manager = useMay("manager");
  const administrator = useMay("administrator");
  const { data: checks } = useChecks();
  const may = (key: string) => (key !== "import" || manager) && ((key !== "people" && key !== "keys") || administrator);
  const query = carried(params);
  return (
    <div className="flex h-full flex-col">
      <nav
        aria-label="Parts of the catalogue"
        className="flex shrink-0 items-center overflow-x-auto border-b px-4 py-1.5 text-[14px] whitespace-nowrap"
      >
        {parts.map((group, i) => (
          <Fragment key={i}>
            {i > 0 && <span aria-hidden className="mx-2 h-4 border-l border-ink/30" />}
            {group
              .filter(([key]) => may(key))
              .map(([key, name]) => (
                <NavLink
                  key={key}
                  to={`/catalogue/${key}${query}`}
                  className={({ isActive }) => `px-2 py-0.5 ${isActive ? "bg-ink text-paper" : "hover:bg-wash"}`}
                >
                  {name}
                  {key === "checks" && checks && checks.broken > 0 && (
                    <span className="ml-1 rounded-full bg-bad px-1.5 text-[12px] text-paper">{checks.broken}</span>
                  )}
                </NavLink>
              ))}
          </Fragment>
        ))}
      </nav>
      <div className="min-h-0 flex-1">
        {may(part) ? <Part part={part} /> : <Navigate to="/catalogue/products" replace />}
      </div>
    </div>
  );
}

function Part({ part }: { part: string }) {
  switch (part) {
    case "products":
      return <Products />;
    case "import":
      return <ImportPanel />;
    case "book":
      return <BookPanel />;
    case "log":
      return <LogList />;
    case "people":
      return <PeoplePanel />;
    case "keys":
      return <KeysPanel />;
    case "codes":
      return <CodesPanel />;
    case "checks":
      return <ChecksPanel />;
    case "settings":
      return <SettingsPanel />;
    case "ranges":
      return (
        <ItemDesk
          kind="ranges"
          one="range"
          blank={{}}
          form={RangeForm}
          covers={["where"]}
          about={(i, doc) => `${goodsWords(doc.where)} · ${uses(i.uses.length)}`}
          teach="A range names goods once for many rules: change it here, and every rule that names it follows."
        />
      );
    case "ladders":
      return (
        <ItemDesk
          kind="ladders"
          one="ladder"
          blank={{ breaks: [] }}
          form={LadderForm}
          covers={["breaks", "method", "count", "measure"]}
          about={(i, doc) => `from ${doc.breaks.map((b) => b.from).join(", ")} · ${uses(i.uses.length)}`}
          teach="A ladder is a set of quantity breaks kept once and used by many rules."
        />
      );
    case "campaigns":
      return (
        <ItemDesk
          kind="campaigns"
          one="campaign"
          blank={{}}
          form={CampaignForm}
          covers={["window", "audience", "channels"]}
          about={(i, doc) =>
            `${doc.status && doc.status !== "on" ? `${doc.status}, ` : ""}${windowWords(doc.window)} · ${uses(i.uses.length)}`
          }
          teach="Rules of one campaign start and stop together."
        />
      );
    case "customers":
      return (
        <ItemDesk
          kind="customers"
          one="customer"
          blank={{}}
          form={CustomerForm}
          covers={["groups", "attrs"]}
          about={(i, doc) => `${i.code}${doc.groups?.length ? ` · ${doc.groups.join(", ")}` : ""}`}
          teach="A customer’s page holds the groups and every price agreed with them."
        />
      );
    case "groups":
      return (
        <ItemDesk
          kind="groups"
          one="group"
          blank={{}}
          form={GroupForm}
          covers={[]}
          about={(i) => `${i.code} · ${uses(i.uses.length)}`}
          teach="Customers of a group share its terms."
        />
      );
    case "channels":
      return (
        <ItemDesk
          kind="channels"
          one="channel"
          blank={{}}
          form={ChannelForm}
          covers={["currency", "group", "tax", "fee", "ending", "where", "limits"]}
          about={(i, doc) => `${i.code}${doc.currency ? ` · ${doc.currency}` : ""} · ${uses(i.uses.length)}`}
          teach="A channel is a place where prices are shown: its currency, tax, fee, what it lists and what it demands."
        />
      );
  }
  return <Empty title="There is no such page">Choose a part above.</Empty>;
}
