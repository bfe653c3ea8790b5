(() => {
  const root = document.documentElement;
  const search = document.getElementById("search");
  const found = document.getElementById("found");
  const rows = Array.from(document.querySelectorAll(".row"));
  const texts = [];
  const apply = () => {
    const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
    let shown = 0;
    rows.forEach((row, i) => {
      if (texts[i] === undefined) texts[i] = row.textContent.toLowerCase();
      const hit = words.every((word) => texts[i].includes(word));
      if (row.hidden === hit) row.hidden = !hit;
      if (hit) shown++;
    });
    found.textContent = words.length ? shown + " of " + rows.length : "";
  };
  let waiting = 0;
  search.addEventListener("input", () => {
    clearTimeout(waiting);
    waiting = setTimeout(apply, 120);
  });
  document.addEventListener("keydown", (event) => {
    if (event.key === "/" && document.activeElement !== search && !event.ctrlKey && !event.metaKey && !event.altKey) {
      event.preventDefault();
      search.focus();
    } else if (event.key === "Escape" && document.activeElement === search) {
      search.value = "";
      apply();
      search.blur();
    }
  });
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
