// Says which page tests failed and why, from the results file Playwright leaves: node failures.mjs results.json
import { readFileSync } from "node:fs";

function failures(suite, above) {
  const name = [...above, suite.title].filter(Boolean);
  const own = (suite.specs ?? [])
    .filter((spec) => !spec.ok)
    .map((spec) => ({
      name: [...name, spec.title].join(" > "),
      why: spec.tests
        .flatMap((test) => test.results)
        .map((result) => result.error?.message ?? "")
        .find((message) => message !== ""),
    }));
  return [...own, ...(suite.suites ?? []).flatMap((inner) => failures(inner, name))];
}

const results = JSON.parse(readFileSync(process.argv[2], "utf8"));
for (const failure of results.suites.flatMap((suite) => failures(suite, []))) {
  console.log(`  Failed ${failure.name}`);
  for (const line of (failure.why ?? "it said nothing")
    .replace(/\u001b\[[0-9;]*m/g, "")
    .split("\n")
    .slice(0, 12))
    console.log(`    ${line}`);
}
