// Search and sorting in the list of reports; without it the list is complete and in order of publication.
const table = document.querySelector("table.library");
const body = table.tBodies[0];
const field = document.querySelector("#search");
const found = document.querySelector("#found");

function filter() {
  const words = field.value.toLowerCase().split(/\s+/).filter(Boolean);
  let count = 0;
  for (const row of body.rows) {
    const shown = words.every((w) => row.textContent.toLowerCase().includes(w));
    row.hidden = !shown;
    count += shown;
  }
  found.textContent = words.length ? `${count} of ${body.rows.length}` : "";
}

function sort(at, button) {
  const up = button.getAttribute("aria-sort-now") === "descending";
  for (const b of table.querySelectorAll("thead button")) b.removeAttribute("aria-sort-now");
  for (const h of table.querySelectorAll("thead th")) h.removeAttribute("aria-sort");
  button.setAttribute("aria-sort-now", up ? "ascending" : "descending");
  button.closest("th").setAttribute("aria-sort", up ? "ascending" : "descending");
  const value = (row) => row.cells[at].dataset.value ?? row.cells[at].textContent.trim();
  const rows = [...body.rows].sort((a, b) => {
    const [x, y] = [value(a), value(b)];
    // What was not measured comes last, whichever way.
    if (x === "" || y === "") return (x === "") - (y === "");
    const order = Number.isNaN(Number(x)) || Number.isNaN(Number(y)) ? x.localeCompare(y) : Number(x) - Number(y);
    return up ? order : -order;
  });
  body.append(...rows);
}

document.querySelector(".search").hidden = false;
field.addEventListener("input", filter);
table.querySelectorAll("thead th").forEach((head, at) => {
  const button = document.createElement("button");
  button.type = "button";
  button.append(...head.childNodes);
  head.append(button);
  button.addEventListener("click", () => sort(at, button));
});
