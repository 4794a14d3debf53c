// A ring that follows the pointer: pointerRing(size in pixels, shape).
function pointerRing(size, shape) {
  const ring = document.createElement('div');
  ring.className = 'pointer-ring';
  ring.style.width = ring.style.height = size + 'px';
  ring.style.margin = -size / 2 + 'px';
  ring.style.borderRadius = shape === 'ring' ? '50%' : '20%';
  document.body.append(ring);
  addEventListener('pointermove', e => { ring.style.left = e.clientX + 'px'; ring.style.top = e.clientY + 'px'; });
}
