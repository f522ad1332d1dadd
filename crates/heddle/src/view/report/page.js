"use strict";
// Tables that sort and searches that find, in a part of a page.
const enliven = part => {
  for (const table of part.querySelectorAll("table.sorts")) {
    const heads = [...table.tHead.rows[0].cells];
    heads.forEach((head, at) => head.querySelector("button").addEventListener("click", () => {
      const down = head.getAttribute("aria-sort") !== "descending";
      heads.forEach(other => other.removeAttribute("aria-sort"));
      head.setAttribute("aria-sort", down ? "descending" : "ascending");
      const value = row => row.cells[at].dataset.value ?? row.cells[at].textContent.trim();
      const order = (a, b) => {
        const [x, y] = [value(a), value(b)], [n, m] = [Number(x), Number(y)];
        const by = x !== "" && y !== "" && !Number.isNaN(n) && !Number.isNaN(m) ? n - m : String(x).localeCompare(String(y));
        return down ? -by : by;
      };
      const body = table.tBodies[0];
      [...body.rows].sort(order).forEach(row => body.append(row));
    }));
  }
  for (const field of part.querySelectorAll("input[type=search]")) {
    const rows = [...document.getElementById(field.getAttribute("aria-controls")).tBodies[0].rows];
    field.addEventListener("input", () => {
      const wanted = field.value.trim().toLowerCase();
      rows.forEach(row => { row.hidden = !row.textContent.toLowerCase().includes(wanted); });
    });
  }
};
enliven(document);
