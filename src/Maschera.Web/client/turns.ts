// Panels one turns to by a row of tabs; the address holds which. Without scripts they stand below one another.
document.addEventListener("DOMContentLoaded", () => {
  for (const group of document.querySelectorAll<HTMLElement>("[data-tabs]")) set(group);
});

function set(group: HTMLElement) {
  const tabs = [...group.querySelectorAll<HTMLAnchorElement>("[role=tab]")];
  const panelOf = (tab: HTMLAnchorElement) => document.getElementById(tab.hash.slice(1))!;
  const turnTo = (chosen: HTMLAnchorElement) => {
    for (const tab of tabs) {
      tab.setAttribute("aria-selected", String(tab === chosen));
      tab.tabIndex = tab === chosen ? 0 : -1;
      panelOf(tab).hidden = tab !== chosen;
    }
  };
  const byAddress = () => tabs.find((tab) => tab.hash === location.hash);
  turnTo(byAddress() ?? tabs.find((tab) => tab.hash === `#${group.dataset.tabs}`) ?? tabs[0]);
  addEventListener("hashchange", () => {
    const tab = byAddress();
    if (tab) turnTo(tab);
  });
  group.addEventListener("click", (event) => {
    const tab = (event.target as HTMLElement).closest<HTMLAnchorElement>("[role=tab]");
    if (!tab) return;
    event.preventDefault();
    history.replaceState(null, "", tab.hash);
    turnTo(tab);
  });
  group.addEventListener("keydown", (event) => {
    const at = tabs.indexOf(event.target as HTMLAnchorElement);
    const step = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
    if (at < 0 || step === 0) return;
    event.preventDefault();
    const next = tabs[(at + step + tabs.length) % tabs.length];
    next.focus();
    next.click();
  });
}
