#!/usr/bin/env bash
# Makes src/rod_tally/output/report/templates/three.js anew: what the report's 3D view needs of three.js (MIT),
# in one file that a page can hold. Needs npm; nothing of it is needed to run or to test.
set -euo pipefail
root="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"
folder="$(mktemp -d)"
cd "$folder"
npm init -y >/dev/null
npm install --silent three@0.180.0 esbuild
cat >entry.js <<'JS'
export { WebGLRenderer, Scene, OrthographicCamera, BufferGeometry, Float32BufferAttribute, LineSegments, LineBasicMaterial, Points, PointsMaterial, Mesh, MeshBasicMaterial, Raycaster, Vector2, Vector3, Color, DoubleSide, Box3, Group } from 'three';
export { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
JS
npx esbuild entry.js --bundle --minify --format=iife --global-name=THREE --outfile=three.js
cp three.js "$root/src/rod_tally/output/report/templates/three.js"
cp node_modules/three/LICENSE "$root/src/rod_tally/output/report/templates/three.LICENSE"
