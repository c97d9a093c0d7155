import { three } from "../parts/format";

/** The scale of the difference in units. */
export function DifferenceLegend({ range }: { range: number }) {
  return (
    <div className="absolute bottom-3 left-3 bg-white/98 px-2 py-1 text-sm" data-part="legend">
      <p>Trial minus control, linear luminance</p>
      <div
        className="mt-1 h-3 w-80 border border-soft"
        style={{
          background:
            "linear-gradient(to right, rgb(13 56 115), rgb(115 158 217) 25%, rgb(237 237 237) 50%, rgb(237 158 92) 75%, rgb(115 43 0))",
        }}
      />
      <p className="flex justify-between">
        <span>−{three(range)} control brighter</span>
        <span>trial brighter +{three(range)}</span>
      </p>
    </div>
  );
}
