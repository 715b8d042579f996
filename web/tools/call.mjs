// Calls exported functions of the front end's modules, for the tests: JSON [{module, name, arguments}] in, results out.
import { text } from "node:stream/consumers";
import { createServer } from "vite";

const server = await createServer({ server: { middlewareMode: true, watch: null }, appType: "custom", logLevel: "error" });
try {
  const results = [];
  for (const call of JSON.parse(await text(process.stdin))) {
    const module = await server.ssrLoadModule(`/src/${call.module}`);
    results.push((await module[call.name](...call.arguments)) ?? null);
  }
  process.stdout.write(JSON.stringify(results));
} finally {
  await server.close();
}
