import { Link } from "react-router";
import type { Impact, Layer } from "../../api/client";
import { carried } from "../../lib/address";
import { layerNames } from "../../lib/layers";
import { useViewpoint } from "../../lib/viewpoint";

/** What may still change a price that is meant to be fixed for single customers. */
export function Unfixed({ obstacles }: { obstacles: Impact["unfixed"] }) {
  const { params } = useViewpoint();
  return (
    <ul className="mt-1 font-medium text-bad" aria-label="What may still change it">
      {obstacles.slice(0, 5).map((o, i) => {
        const layer = layerNames[o.layer as Layer].toLowerCase();
        const rule = o.rule && (
          <Link
            className="underline decoration-1 underline-offset-2"
            to={`/stack/rule/${encodeURIComponent(o.rule.code)}${carried(params)}`}
          >
            {o.rule.name}
          </Link>
        );
        return (
          <li key={i}>
            Not fixed everywhere:{" "}
            {o.kind === "layer-ends" && `the ${layer} layer ends the price where one of its rules applies.`}
            {o.kind === "mode" && `in the ${layer} layer it is not the first rule that is used, so another may win.`}
            {o.kind === "rule-ends" && (
              <>
                {rule}, in the {layer} layer, ends the price before it.
              </>
            )}
            {o.kind === "same-customer" && <>{rule} is for the same customer and does not stand after it.</>}
          </li>
        );
      })}
    </ul>
  );
}
