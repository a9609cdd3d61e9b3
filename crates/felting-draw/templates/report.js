(() => {
  "use strict";
  const all = (query, within = document) => [...within.querySelectorAll(query)];
  document.documentElement.classList.add("scripted");

  // ---- drawings: one at a time, moved by dragging, nearer and farther by the wheel or buttons

  const figures = all("#drawings figure.drawing");
  const tabs = all("#drawings .tabs a");
  const open = (figure) => {
    figures.forEach((one) => one.classList.toggle("away", one !== figure));
    tabs.forEach((tab) => {
      const own = tab.getAttribute("href") === "#" + figure.id;
      own ? tab.setAttribute("aria-current", "true") : tab.removeAttribute("aria-current");
    });
  };
  const shown = () => figures.find((one) => !one.classList.contains("away"));
  if (figures.length) open(figures[0]);
  tabs.forEach((tab) =>
    tab.addEventListener("click", (event) => {
      event.preventDefault();
      open(document.querySelector(tab.getAttribute("href")));
    }),
  );

  const view = (svg) => svg.viewBox.baseVal;
  const whole = new Map();
  const zoom = (svg, by, x, y) => {
    const box = view(svg);
    const size = whole.get(svg);
    const scale = Math.min(Math.max(box.width * by, size.width / 12), size.width * 1.5) / box.width;
    box.x += (x - box.x) * (1 - scale);
    box.y += (y - box.y) * (1 - scale);
    box.width *= scale;
    box.height *= scale;
  };
  const at = (svg, event) => {
    const point = new DOMPoint(event.clientX, event.clientY);
    return point.matrixTransform(svg.getScreenCTM().inverse());
  };
  all(".drawing svg").forEach((svg) => {
    const { x, y, width, height } = view(svg);
    whole.set(svg, { x, y, width, height });
    svg.addEventListener("wheel", (event) => {
      event.preventDefault();
      const point = at(svg, event);
      zoom(svg, event.deltaY > 0 ? 1.2 : 1 / 1.2, point.x, point.y);
    }, { passive: false });
    let from = null;
    svg.addEventListener("pointerdown", (event) => {
      from = at(svg, event);
    });
    svg.addEventListener("pointermove", (event) => {
      if (!from || !event.buttons) return;
      const to = at(svg, event);
      const box = view(svg);
      box.x += from.x - to.x;
      box.y += from.y - to.y;
    });
    svg.addEventListener("pointerup", () => {
      from = null;
    });
  });
  const reset = (svg) => Object.assign(view(svg), whole.get(svg));
  all("[data-zoom]").forEach((button) =>
    button.addEventListener("click", () => {
      const svg = shown()?.querySelector("svg");
      if (!svg) return;
      const box = view(svg);
      const middle = [box.x + box.width / 2, box.y + box.height / 2];
      if (button.dataset.zoom === "all") reset(svg);
      else zoom(svg, button.dataset.zoom === "in" ? 1 / 1.4 : 1.4, ...middle);
    }),
  );

  // ---- from a finding to its place, and back

  const names = (group) => JSON.parse(group.dataset.of);
  const places = figures.flatMap((figure) =>
    all("g[data-of]", figure).map((group) => ({ figure, group, names: names(group) })),
  );
  const clear = () => all(".hit").forEach((one) => one.classList.remove("hit"));
  const show = (finding) => {
    clear();
    finding.classList.add("hit");
    const about = JSON.parse(finding.dataset.about);
    const found = places.filter((place) => place.names.some((name) => about.includes(name)));
    // The narrowest places: a switch, not its pair; one thing, not all that is folded.
    const least = Math.min(...found.map((place) => place.names.length));
    const nearest = found.filter((place) => place.names.length === least);
    if (!nearest.length) return;
    const current = shown();
    const figure = nearest.some((place) => place.figure === current) ? current : nearest[0].figure;
    open(figure);
    nearest.forEach((place) => place.group.classList.add("hit"));
    figure.scrollIntoView({ block: "nearest" });
  };
  all("a.show").forEach((link) =>
    link.addEventListener("click", (event) => {
      event.preventDefault();
      show(link.closest("details.finding"));
    }),
  );
  places.forEach(({ group, names }) => {
    const number = names.map((name) => /^finding (\d+)$/.exec(name)).find(Boolean);
    if (!number) return;
    group.classList.add("mark");
    group.addEventListener("click", () => {
      const finding = document.getElementById("finding-" + number[1]);
      if (!finding) return;
      clear();
      finding.open = true;
      finding.classList.add("hit");
      group.classList.add("hit");
      finding.scrollIntoView({ block: "center" });
    });
  });

  // A link to a finding opens it.
  const follow = () => {
    const finding = document.getElementById(location.hash.slice(1));
    if (!finding?.matches("details.finding")) return;
    clear();
    finding.open = true;
    finding.classList.add("hit");
  };
  window.addEventListener("hashchange", follow);
  follow();

  // ---- tables: filtered and sorted

  all("input.filter").forEach((input) => {
    const list = document.getElementById(input.dataset.filters);
    const left = document.querySelector(`[data-of-list="${input.dataset.filters}"]`);
    const rows = all("tbody > tr", list).concat(all(":scope > details.finding", list));
    const texts = rows.map((row) => row.textContent.toLowerCase());
    input.addEventListener("input", () => {
      const wanted = input.value.trim().toLowerCase();
      let count = 0;
      rows.forEach((row, place) => {
        row.hidden = !texts[place].includes(wanted);
        count += row.hidden ? 0 : 1;
      });
      all("details.group", list).forEach((group) => {
        const some = all("tbody > tr", group).some((row) => !row.hidden);
        group.hidden = !some && wanted !== "";
        if (some && wanted !== "") group.open = true;
      });
      left.textContent = wanted ? `${count} of ${rows.length}` : "";
    });
  });
  const order = new Intl.Collator("en", { numeric: true });
  all("table.sortable th").forEach((head) =>
    head.addEventListener("click", () => {
      const table = head.closest("table");
      const column = [...head.parentElement.children].indexOf(head);
      const down = head.getAttribute("aria-sort") === "ascending";
      all("th", table).forEach((other) => other.removeAttribute("aria-sort"));
      head.setAttribute("aria-sort", down ? "descending" : "ascending");
      for (const body of table.tBodies) {
        const rows = [...body.rows];
        const text = (row) => row.cells[column]?.textContent ?? "";
        rows.sort((a, b) => order.compare(text(a), text(b)) * (down ? -1 : 1));
        body.append(...rows);
      }
    }),
  );
})();
