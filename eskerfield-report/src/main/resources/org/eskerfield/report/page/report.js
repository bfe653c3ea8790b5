(() => {
  const root = document.documentElement;
  const search = document.getElementById("search");
  const found = document.getElementById("found");
  const rows = Array.from(document.querySelectorAll(".row"));
  const groups = Array.from(document.querySelectorAll(".chunk, .device, .part"));
  const folds = Array.from(document.querySelectorAll(".device"));
  const texts = [];
  let hits = [];
  let current = -1;
  let opened = [];
  const leave = () => {
    if (hits[current]) hits[current].classList.remove("current");
    current = -1;
  };
  const apply = () => {
    leave();
    const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
    hits = [];
    rows.forEach((row, i) => {
      if (texts[i] === undefined) texts[i] = row.textContent.toLowerCase();
      const hit = words.every((word) => texts[i].includes(word));
      if (row.hidden === hit) row.hidden = !hit;
      if (hit) hits.push(row);
    });
    opened.forEach((fold) => (fold.open = false));
    opened = [];
    groups.forEach((group) => {
      group.hidden = words.length > 0 && !group.querySelector(".row:not([hidden])");
    });
    if (words.length) {
      folds.forEach((fold) => {
        if (!fold.open && !fold.hidden) {
          fold.open = true;
          opened.push(fold);
        }
      });
    } else hits = [];
    found.textContent = words.length ? hits.length + " of " + rows.length : "";
  };
  const go = (step) => {
    if (!hits.length) return;
    const next = current < 0 ? (step > 0 ? 0 : hits.length - 1) : (current + step + hits.length) % hits.length;
    leave();
    current = next;
    hits[current].classList.add("current");
    hits[current].scrollIntoView({ block: "center" });
    found.textContent = "match " + (current + 1) + " of " + hits.length;
  };
  let waiting = 0;
  search.addEventListener("input", () => {
    clearTimeout(waiting);
    waiting = setTimeout(apply, 120);
  });
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const typing = document.activeElement === search;
    if (event.key === "/" && !typing) {
      event.preventDefault();
      search.focus();
    } else if (event.key === "Escape" && (typing || search.value)) {
      search.value = "";
      apply();
      search.blur();
    } else if (event.key === "Enter" && typing) {
      event.preventDefault();
      clearTimeout(waiting);
      if (current < 0) apply();
      go(event.shiftKey ? -1 : 1);
    } else if (!typing && (event.key === "n" || event.key === "N")) {
      go(event.key === "n" ? 1 : -1);
    }
  });
  const unfold = () => {
    const named = location.hash.length > 1 && document.getElementById(location.hash.slice(1));
    const fold = named && named.closest("details");
    if (fold) fold.open = true;
  };
  addEventListener("hashchange", unfold);
  unfold();
  let shut = [];
  addEventListener("beforeprint", () => {
    shut = folds.filter((fold) => !fold.open);
    shut.forEach((fold) => (fold.open = true));
  });
  addEventListener("afterprint", () => shut.forEach((fold) => (fold.open = false)));
  const dark = () => {
    const chosen = root.dataset.theme;
    return chosen ? chosen === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
  };
  const redraws = [];
  document.getElementById("theme").addEventListener("click", () => {
    root.dataset.theme = dark() ? "light" : "dark";
    redraws.forEach((redraw) => redraw());
  });

  const samples = document.getElementById("samples");
  if (!samples) return;
  const data = JSON.parse(samples.textContent);
  const plots = document.getElementById("plots");
  const draw = () => {
    plots.replaceChildren();
    const css = getComputedStyle(root);
    const text = css.getPropertyValue("--text").trim();
    const line = css.getPropertyValue("--line").trim();
    const axis = { stroke: text, grid: { stroke: line, width: 1 }, ticks: { stroke: line } };
    data.series.forEach((series) => {
      const box = document.createElement("div");
      box.className = "plot";
      plots.append(box);
      const shown = [{ label: "second" }, { label: "used", points: { show: false }, stroke: css.getPropertyValue("--accent").trim(), width: 2, paths: uPlot.paths.stepped({ align: 1 }) }];
      const values = [data.seconds, series.values];
      if (series.size !== undefined && Math.max(...series.values) * 3 > series.size) {
        shown.push({ label: "there are", stroke: css.getPropertyValue("--bad").trim(), width: 2, dash: [6, 4], points: { show: false } });
        values.push(data.seconds.map(() => series.size));
      }
      new uPlot(
        { title: series.name, width: Math.max(320, plots.clientWidth - 4), height: 220, series: shown, scales: { x: { time: false }, y: { range: (u, min, max) => [0, Math.max(1, max) * 1.1] } }, axes: [{ ...axis, label: "seconds" }, axis], cursor: { drag: { setScale: false } } },
        values,
        box
      );
    });
  };
  draw();
  redraws.push(draw);
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", draw);
  let sized = 0;
  addEventListener("resize", () => {
    clearTimeout(sized);
    sized = setTimeout(draw, 150);
  });
})();
