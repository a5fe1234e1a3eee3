import type { Layer } from "../api/client";
import { layerColour, layerNames } from "../lib/layers";

const shapes: Record<Layer, React.ReactNode> = {
  catalog: <rect x="2" y="2" width="10" height="10" />,
  sale: <path d="M7 1.5 13 12.500 1 12.500Z" />,
  tier: <path d="M1 12.500V9h4V5.500h4V2h4v10.500Z" />,
  group: <circle cx="7" cy="7" r="5.500" />,
  promotion: <path d="M7 .8 13.200 7 7 13.200 .8 7Z" />,
};

/** A layer's own small shape in its hue. */
export function LayerMark({ layer, size = 11, title }: { layer: Layer; size?: number; title?: string }) {
  return (
    <svg
      viewBox="0 0 14 14"
      width={size}
      height={size}
      fill={layerColour[layer]}
      className="inline-block shrink-0"
      role="img"
      aria-label={title ?? layerNames[layer]}
    >
      {shapes[layer]}
    </svg>
  );
}
