/** A QR code from the path the server made; always dark on light, so that phones read it. */
export function QrCode({ path, size, label, className = "" }: { path: string; size: number; label: string; className?: string }) {
  return (
    <svg viewBox={`0 0 ${size} ${size}`} role="img" aria-label={label} className={`bg-[#fff] ${className}`} shapeRendering="crispEdges">
      <path d={path} fill="#111" />
    </svg>
  );
}
