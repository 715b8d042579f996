import { type RefObject, useEffect, useRef } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import { useScheme } from "./useScheme";

interface Drawn {
  /** Made once for each `of`; what it draws reads what is current by itself. */
  options: () => Omit<uPlot.Options, "width">;
  data: uPlot.AlignedData;
  width: number;
  of: string;
}

/** One plot on a canvas: its data are set, not built anew, and it is drawn again when the day turns to night. */
export function useUplot(host: RefObject<HTMLElement | null>, { options, data, width, of }: Drawn) {
  const plot = useRef<uPlot | null>(null);
  const now = useRef({ options, data, width });
  now.current = { options, data, width };
  useEffect(() => {
    if (!host.current) return;
    const made = new uPlot(
      { ...now.current.options(), width: now.current.width },
      now.current.data,
      host.current,
    );
    plot.current = made;
    return () => {
      made.destroy();
      plot.current = null;
    };
  }, [host, of]);
  useEffect(() => {
    if (plot.current && plot.current.data !== data) plot.current.setData(data);
  }, [data]);
  useEffect(() => {
    const made = plot.current;
    if (made && made.width !== width) made.setSize({ width, height: made.height });
  }, [width]);
  const scheme = useScheme();
  useEffect(() => plot.current?.redraw(false), [scheme]);
  return plot;
}
