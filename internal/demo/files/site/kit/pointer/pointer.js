// A ring that follows the pointer.
const ring = document.createElement('div');
ring.className = 'pointer-ring';
document.body.append(ring);
addEventListener('pointermove', e => { ring.style.left = e.clientX + 'px'; ring.style.top = e.clientY + 'px'; });
