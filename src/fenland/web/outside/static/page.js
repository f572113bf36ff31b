// What pages do beside, where scripts run: a list follows what is changed, and the first mistake is come to.
// Nothing depends on it.
const followed = document.querySelector("[data-follow]");
if (followed) {
  const seconds = Number(followed.dataset.follow) * 1000;
  setInterval(async () => {
    if (document.hidden) return;
    try {
      const answer = await fetch(location.href, { credentials: "same-origin" });
      if (!answer.ok) return;
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      const now = page.querySelector("[data-follow]");
      if (now && now.innerHTML !== followed.innerHTML) followed.innerHTML = now.innerHTML;
    } catch {
      // Out of reach: it is tried again.
    }
  }, seconds);
}
document.querySelector("[data-first]")?.focus();
for (const form of document.querySelectorAll("form")) {
  form.addEventListener("submit", () => {
    for (const button of form.querySelectorAll("button")) setTimeout(() => (button.disabled = true));
  });
}
addEventListener("pageshow", () => {
  for (const button of document.querySelectorAll("button")) button.disabled = false;
});
