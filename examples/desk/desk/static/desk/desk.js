/** Parts of a page, exchanged as they are asked for. Without this file the pages work too, whole. */
"use strict";

/** Puts what an address gives into a part of the page. What is asked for last is what is shown, however late others are. */
const asking = {};
async function show(part, address) {
  const element = document.getElementById(part);
  asking[part]?.abort();
  const asked = (asking[part] = new AbortController());
  element.classList.add("waiting");
  try {
    const url = new URL(address, location.href);
    url.searchParams.set("part", "");
    const response = await fetch(url, { signal: asked.signal });
    const html = await response.text();
    if (asking[part] === asked) element.innerHTML = response.ok ? html : failure();
  } catch (error) {
    if (error.name === "AbortError") return;
    element.innerHTML = failure();
  }
  if (asking[part] === asked) element.classList.remove("waiting");
}

const failure = () => '<p class="said error" role="alert">The desk cannot be reached. Try again in a moment.</p>';

document.getElementById("choice")?.addEventListener("change", (event) => {
  const query = new URLSearchParams({ district: event.target.value });
  document.querySelector("form [name=district][type=hidden]").value = event.target.value;
  history.replaceState(null, "", `?${query}`);
  show("list", `?${query}`);
});

document.addEventListener("click", (event) => {
  const link = event.target.closest("a[data-details]");
  if (!link || event.ctrlKey || event.metaKey || !document.getElementById("details")) return;
  event.preventDefault();
  document.querySelectorAll("tr.chosen").forEach((row) => row.classList.remove("chosen"));
  link.closest("tr").classList.add("chosen");
  show("details", link.href);
});

// what was sent is shown to be under way; a second click before the answer sends the same again, which is done once
document.addEventListener("submit", (event) => {
  const button = event.submitter;
  if (button?.dataset.waiting) button.textContent = `${button.dataset.waiting} …`;
});

const run = document.getElementById("run");
if (run?.querySelector(".state.waiting")) {
  const states = new EventSource(run.dataset.states);
  states.onmessage = ({ data }) => {
    show("run", location.href);
    if (!['"queued"', '"running"', '"waiting"'].includes(data)) states.close();
  };
}
