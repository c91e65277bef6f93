import { test, expect } from "@playwright/test";
import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { seriousFindings } from "./pages.mjs";

// A server of its own on a network, reached by name, its own certificate taken for a trusted one.
const port = Number(process.env.MASCHERA_PORT ?? 5097) + 1;
const here = `https://localhost:${port}`;
const password = "long enough to be one";
let server, folder, word;

test.use({ baseURL: here, ignoreHTTPSErrors: true });

test.beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), "people"));
  server = spawn(
    "dotnet",
    ["../../artifacts/web/Maschera.Web.dll", "--listen", `0.0.0.0:${port}`, "--host", "localhost", "--data", folder],
    {
      detached: true,
      stdio: ["ignore", "pipe", "inherit"],
    },
  );
  word = await new Promise((found) => {
    let said = "";
    server.stdout.on("data", (part) => {
      said += part;
      const match = /with the word (\S+)/.exec(said);
      if (match) found(match[1]);
    });
  });
});

test.afterAll(() => {
  process.kill(-server.pid);
  rmSync(folder, { recursive: true, force: true });
});

async function authenticator(page) {
  const devtools = await page.context().newCDPSession(page);
  await devtools.send("WebAuthn.enable");
  await devtools.send("WebAuthn.addVirtualAuthenticator", {
    options: {
      protocol: "ctap2",
      transport: "internal",
      hasResidentKey: true,
      hasUserVerification: true,
      isUserVerified: true,
      automaticPresenceSimulation: true,
    },
  });
}

test("the first person gets in by the console's word, adds a passkey and enters with it", async ({ page }) => {
  await authenticator(page);
  await page.goto("/people/first");
  await page.getByLabel(/The word/).fill(word);
  await page.getByLabel("Your name").fill("Ada");
  await page.getByLabel(/A password/).fill(password);
  await page.getByRole("button", { name: "Begin" }).click();
  await page.goto("/people/own");
  await page.getByLabel("What you call it").fill("Tablet on the cart");
  await page.getByRole("button", { name: "Add a passkey" }).click();
  await expect(page.getByText("Tablet on the cart")).toBeVisible();
  expect(await seriousFindings(page)).toEqual([]);

  await page.getByRole("button", { name: "Leave" }).click();
  await expect(page.getByRole("heading", { name: "Enter" })).toBeVisible();
  expect(await seriousFindings(page)).toEqual([]);
  await page.getByRole("button", { name: "Enter with a passkey" }).click();
  await expect(page.getByRole("link", { name: "Ada" })).toBeVisible();

  await page.goto("/people/own");
  await page.getByRole("button", { name: "Delete Tablet on the cart" }).click();
  await expect(page.getByText("Tablet on the cart")).toHaveCount(0);
  await page.getByRole("button", { name: "Leave" }).click();
  await page.getByRole("button", { name: "Enter with a passkey" }).click();
  await expect(page.getByRole("alert").filter({ hasText: "not known here" })).toBeVisible();
});
