import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import CssBaseline from "@mui/material/CssBaseline";
import { styled, ThemeProvider } from "@mui/material/styles";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { createPortal } from "react-dom";
import { colour, Text, TextButton } from "../../kit";
import { theme } from "../../kit/theme";
import type { Report } from "./live";
import { startTicks, type Ticks } from "./ticks";
import { startTone, type Tone } from "./tone";

const WIDTH = 420;
const HEIGHT = 64;
/** A rate to hold where the scenario has none. */
const USUAL_MS = 1000 / 60;

/** A window that browsers keep over all others, where they have one. */
interface OverAll {
  requestWindow: (size: { width: number; height: number }) => Promise<Window>;
}
const overAll = () => (window as { documentPictureInPicture?: OverAll }).documentPictureInPicture;

const Bar = styled("div")({
  display: "grid",
  gridTemplateColumns: "1fr auto",
  alignItems: "center",
  gap: "0 14px",
  padding: "8px 14px",
  height: "100%",
  background: colour.sheet,
  fontVariantNumeric: "tabular-nums",
});

/** What is read at a glance: which run, and its mean frame against the budget. */
function Glance({ report, budget_ms }: { report: Report | null; budget_ms: number | null }) {
  const mean = report?.live?.window.mean_ms ?? null;
  const over = mean !== null && budget_ms !== null && mean > budget_ms;
  return (
    <Bar role="status" aria-label="The run in progress">
      <span>
        {report?.live ? `Run ${(report.position ?? 0) + 1}, ${report.arm}` : "Between runs"}
        <Text as="div" small tone="faded" nowrap>
          {report?.live?.leg}
          {budget_ms !== null &&
            mean !== null &&
            ` ${over ? "over" : "under"} the budget of ${budget_ms.toFixed(2)} ms`}
        </Text>
      </span>
      <Text as="b" size={24} nowrap {...(over && { tone: "spent" as const })}>
        {mean === null ? "–" : `${mean.toFixed(2)} ms`}
      </Text>
    </Bar>
  );
}

/** The theme's variables in a document of its own; the component takes these, its type does not know them. */
const ofDocument = (document: Document): object => ({
  disableNestedContext: true,
  documentNode: document,
  colorSchemeNode: document.documentElement,
});

/** The page's components in another window, with its styles. */
function Elsewhere({ host, children }: { host: Window; children: ReactNode }) {
  const styles = useMemo(() => {
    const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content;
    return createCache({ key: "vl", container: host.document.head, ...(nonce && { nonce }) });
  }, [host]);
  useEffect(() => {
    // The fonts too.
    for (const sheet of document.querySelectorAll<HTMLLinkElement>('link[rel="stylesheet"]'))
      host.document.head.append(host.document.importNode(sheet));
    host.document.title = "The run in progress";
  }, [host]);
  return createPortal(
    <CacheProvider value={styles}>
      <ThemeProvider theme={theme} {...ofDocument(host.document)}>
        <CssBaseline enableColorScheme />
        {children}
      </ThemeProvider>
    </CacheProvider>,
    host.document.body,
  );
}

interface Props {
  report: Report | null;
  budget_ms: number | null;
  /** What is shown over the whole screen. */
  whole: () => HTMLElement | null;
}

/** The live view as a strip over a corner of the screen, over the whole of it, and for the ear. */
export function Strip({ report, budget_ms, whole }: Props) {
  const [host, setHost] = useState<Window | null>(null);
  const [refused, setRefused] = useState(false);
  const [tone, setTone] = useState<Tone | null>(null);
  const [ticks, setTicks] = useState<Ticks | null>(null);
  const newest = report?.live?.newest ?? null;
  // Of each report once.
  useEffect(() => {
    if (newest && ticks) ticks.take(newest.frame_ms);
  }, [ticks, newest]);
  const mean = report?.phase === "running" ? (report.live?.window.mean_ms ?? null) : null;
  useEffect(() => tone?.follow(mean), [tone, mean]);

  // With the page all go.
  const left = useRef({ tone, ticks, host });
  left.current = { tone, ticks, host };
  useEffect(
    () => () => {
      left.current.tone?.stop();
      left.current.ticks?.stop();
      left.current.host?.close();
    },
    [],
  );

  const openStrip = async () => {
    const made =
      (await overAll()?.requestWindow({ width: WIDTH, height: HEIGHT })) ??
      window.open("", "", `popup,width=${WIDTH},height=${HEIGHT}`);
    setRefused(made === null);
    if (!made) return;
    made.addEventListener("pagehide", () => setHost(null));
    setHost(made);
  };
  const sound = () => {
    tone?.stop();
    setTone(tone ? null : startTone(budget_ms ?? USUAL_MS));
  };
  return (
    <Text as="div" small tone="faded" sx={{ display: "flex", gap: 14, flexWrap: "wrap" }}>
      <TextButton small onClick={() => (host ? host.close() : void openStrip())}>
        {host ? "close the strip" : "as a small strip"}
      </TextButton>
      <TextButton small onClick={() => void whole()?.requestFullscreen()}>
        over the whole screen
      </TextButton>
      <TextButton small aria-pressed={tone !== null} onClick={sound}>
        {tone ? "silent" : "with a tone"}
      </TextButton>
      <TextButton
        small
        aria-pressed={ticks !== null}
        onClick={() => {
          ticks?.stop();
          setTicks(ticks ? null : startTicks(budget_ms));
        }}
      >
        {ticks ? "no ticks" : "with ticks"}
      </TextButton>
      {tone && <span>Long frames are deep: an octave for twice the time.</span>}
      {ticks && (
        <span>
          A tick where each frame ended, about a second late
          {budget_ms !== null && "; the soft beat is the budget"}.
        </span>
      )}
      {refused && <span role="alert">The browser opens no window here.</span>}
      {host && (
        <Elsewhere host={host}>
          <Glance report={report} budget_ms={budget_ms} />
        </Elsewhere>
      )}
    </Text>
  );
}
