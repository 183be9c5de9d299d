// The building in the report: orbit, storeys, parts, the displaced shape, the places of findings. Reads the JSON
// beside it; uses three.js (MIT), which stands above it. Nothing is fetched.
(function () {
  "use strict";
  const data = JSON.parse(document.getElementById("building-data").textContent);
  data.members = data.members.map(([name, cls, section, material, storey, values, findings]) => ({
    name, findings, cls: data.words[cls], section: data.words[section], material: data.words[material], storey: data.words[storey],
    values: values.length ? data.quantities.map(([q, unit], k) => `${q} ${values[2 * k]} to ${values[2 * k + 1]} ${unit}`) : [],
  }));
  const box = document.getElementById("building-view");
  const said = document.getElementById("building-said");
  const floats = (text) => new Float32Array(Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer);
  const lines = floats(data.lines), moved = floats(data.moved), K = data.points;
  const shells = data.surfaces.map((s) => floats(s.triangles));
  const INK = 0x26221d, PINE = 0x1d6b66, RUST = 0xa3341f, PALE = 0xcdc2aa, OCHRE = 0x97690c;
  const COLOURS = { column: 0x26221d, beam: 0x6f675b, brace: 0x97690c };
  let renderer;
  try {
    renderer = new THREE.WebGLRenderer({ antialias: true, preserveDrawingBuffer: true });
  } catch (e) {
    box.remove();
    said.textContent = "This browser shows no 3D picture; the drawing below is of the same model.";
    return;
  }
  document.getElementById("building-drawing").remove();
  const scene = new THREE.Scene();
  scene.background = new THREE.Color(0xfaf8f1);
  const camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -1e5, 1e5);
  camera.up.set(0, 0, 1);
  box.appendChild(renderer.domElement);
  const controls = new THREE.OrbitControls(camera, renderer.domElement);
  controls.enableDamping = false;
  const n = data.members.length;
  const hidden = new Set();
  const shown = (k) => !hidden.has(data.members[k].storey);
  const group = new THREE.Group();
  scene.add(group);
  let scale = 0, picked = -1, finding = -1;

  function segments(points, colour, width) {
    const g = new THREE.BufferGeometry();
    g.setAttribute("position", new THREE.Float32BufferAttribute(points, 3));
    return new THREE.LineSegments(g, new THREE.LineBasicMaterial({ color: colour, linewidth: width }));
  }

  function at(k, p, s) { // a point of a member, s times displaced
    const t = p / (K - 1), b = 6 * k, m = 3 * (k * K + p);
    return [0, 1, 2].map((d) => lines[b + d] * (1 - t) + lines[b + 3 + d] * t + s * moved[m + d]);
  }

  function draw() {
    group.clear();
    const by = {};
    for (let k = 0; k < n; k++) {
      if (!shown(k)) continue;
      const cls = scale ? "undisplaced" : data.members[k].cls;
      (by[cls] = by[cls] || []).push(...at(k, 0, 0), ...at(k, K - 1, 0));
    }
    for (const cls of Object.keys(by)) group.add(segments(by[cls], scale ? PALE : COLOURS[cls] || 0x6f675b));
    if (scale) {
      const bent = [];
      for (let k = 0; k < n; k++) {
        if (!shown(k)) continue;
        for (let p = 0; p + 1 < K; p++) bent.push(...at(k, p, scale), ...at(k, p + 1, scale));
      }
      group.add(segments(bent, INK));
    }
    data.surfaces.forEach((s, k) => {
      if (hidden.has(s.storey) || !shells[k].length) return;
      const g = new THREE.BufferGeometry();
      g.setAttribute("position", new THREE.Float32BufferAttribute(shells[k], 3));
      group.add(new THREE.Mesh(g, new THREE.MeshBasicMaterial({
        color: PALE, transparent: true, opacity: 0.22, side: THREE.DoubleSide, depthWrite: false,
      })));
    });
    if (picked >= 0) {
      const own = [];
      for (let p = 0; p + 1 < K; p++) own.push(...at(picked, p, scale), ...at(picked, p + 1, scale));
      const m = segments(own, PINE);
      m.material.depthTest = false;
      group.add(m);
      for (const d of [-1, 1]) { // a line of one pixel is hard to see: two more beside it
        const more = m.clone();
        more.position.set(d * pixel(), d * pixel(), 0);
        group.add(more);
      }
    }
    const places = data.findings.filter((f) => f.at);
    if (places.length) {
      const g = new THREE.BufferGeometry();
      g.setAttribute("position", new THREE.Float32BufferAttribute(places.flatMap((f) => f.at), 3));
      const colours = places.flatMap((f) => new THREE.Color(f.severity === "blocking" ? RUST : f.severity === "warning" ? OCHRE : PALE).toArray());
      g.setAttribute("color", new THREE.Float32BufferAttribute(colours, 3));
      group.add(new THREE.Points(g, new THREE.PointsMaterial({ size: 8, sizeAttenuation: false, vertexColors: true, depthTest: false })));
    }
    if (finding >= 0 && data.findings[finding].at) {
      const g = new THREE.BufferGeometry();
      g.setAttribute("position", new THREE.Float32BufferAttribute(data.findings[finding].at, 3));
      group.add(new THREE.Points(g, new THREE.PointsMaterial({ size: 16, sizeAttenuation: false, color: PINE, depthTest: false })));
    }
    render();
  }

  function pixel() { return (camera.top - camera.bottom) / camera.zoom / box.clientHeight; }
  function render() { renderer.render(scene, camera); }

  function fit() {
    const all = new THREE.Box3().setFromArray(lines);
    shells.forEach((t) => { if (t.length) all.union(new THREE.Box3().setFromArray(t)); });
    const middle = all.getCenter(new THREE.Vector3()), reach = all.getSize(new THREE.Vector3()).length() || 1;
    const w = box.clientWidth, h = box.clientHeight, half = reach * 0.4;
    Object.assign(camera, { left: -half * w / h, right: half * w / h, top: half, bottom: -half, zoom: 1 });
    camera.position.copy(middle).add(new THREE.Vector3(-0.62, -0.78, 0.55).multiplyScalar(reach));
    controls.target.copy(middle);
    camera.updateProjectionMatrix();
    controls.update();
    return reach;
  }

  function resize() {
    const w = box.clientWidth, h = box.clientHeight, half = camera.top;
    renderer.setPixelRatio(window.devicePixelRatio || 1);
    renderer.setSize(w, h);
    Object.assign(camera, { left: -half * w / h, right: half * w / h });
    camera.updateProjectionMatrix();
    render();
  }

  const panel = document.getElementById("building-part");
  function show(k) {
    picked = k;
    panel.textContent = "";
    if (k < 0) { draw(); return; }
    const m = data.members[k];
    const add = (tag, text) => { const e = document.createElement(tag); e.textContent = text; panel.appendChild(e); return e; };
    add("b", `${m.cls} ${m.name}`);
    [`${m.section}, ${m.material}`, m.storey, ...m.values].filter(Boolean).forEach((t) => add("div", t));
    m.findings.forEach((number) => {
      const f = data.findings.find((x) => x.number === number);
      const a = add("a", f ? f.title : number);
      a.href = `#finding-${number}`;
    });
    draw();
  }

  function pick(event) { // the nearest shown member within 8 px of the click
    const r = renderer.domElement.getBoundingClientRect(), v = new THREE.Vector3();
    const x = event.clientX - r.left, y = event.clientY - r.top;
    const px = (p) => { v.set(...p).project(camera); return [(v.x + 1) / 2 * r.width, (1 - v.y) / 2 * r.height]; };
    let best = 8, found = -1;
    for (let k = 0; k < n; k++) {
      if (!shown(k)) continue;
      const a = px(at(k, 0, scale)), b = px(at(k, K - 1, scale)), dx = b[0] - a[0], dy = b[1] - a[1];
      const t = Math.max(0, Math.min(1, ((x - a[0]) * dx + (y - a[1]) * dy) / (dx * dx + dy * dy || 1)));
      const off = Math.hypot(a[0] + t * dx - x, a[1] + t * dy - y);
      if (off < best) { best = off; found = k; }
    }
    show(found);
  }

  const storeys = document.getElementById("building-storeys");
  data.storeys.forEach((name) => {
    const label = document.createElement("label"), tick = document.createElement("input");
    tick.type = "checkbox";
    tick.checked = true;
    tick.addEventListener("change", () => { tick.checked ? hidden.delete(name) : hidden.add(name); draw(); });
    label.append(tick, ` ${name || "no storey"}`);
    storeys.appendChild(label);
  });
  const bent = document.getElementById("building-scale");
  bent.addEventListener("input", () => { scale = Number(bent.value) * data.scale; draw(); });
  document.getElementById("building-case").textContent = data.case ? `Displaced shape, ${data.case}` : "No results to show";
  if (!data.case) bent.disabled = true;
  const list = document.getElementById("building-findings");
  data.findings.forEach((f, k) => {
    const a = document.createElement("a");
    a.textContent = `${f.number} ${f.title}`;
    a.className = f.severity;
    a.href = `#finding-${f.number}`;
    a.addEventListener("click", (event) => {
      if (!f.at) return; // its text is all there is
      event.preventDefault();
      finding = k;
      const step = camera.position.clone().sub(controls.target);
      controls.target.set(...f.at);
      camera.position.copy(controls.target).add(step);
      camera.zoom = Math.max(camera.zoom, 3);
      camera.updateProjectionMatrix();
      controls.update();
      said.innerHTML = "";
      const more = document.createElement("a");
      more.href = `#finding-${f.number}`;
      more.textContent = `${f.number} ${f.title}: read it`;
      said.appendChild(more);
      if (f.members.length) show(f.members[0]); else draw();
    });
    list.appendChild(a);
  });
  let down = [0, 0];
  renderer.domElement.addEventListener("pointerdown", (e) => { down = [e.clientX, e.clientY]; });
  renderer.domElement.addEventListener("pointerup", (e) => {
    if (Math.hypot(e.clientX - down[0], e.clientY - down[1]) < 4) pick(e);
  });
  controls.addEventListener("change", render);
  window.addEventListener("resize", resize);
  fit();
  resize();
  draw();
  said.textContent = `${n} members, ${data.surfaces.length} slabs and walls: drag to turn, wheel to zoom, right button to move, click for a part`;
  window.building = { show, draw, data, camera, at: (k) => at(k, 0, scale) }; // for tests
})();
