/** A QR code that the service drew, as SVG. */
export function QrCode({ picture, alt, className }: { picture: string; alt: string; className?: string }) {
  return <img className={className} src={`data:image/svg+xml,${encodeURIComponent(picture)}`} alt={alt} width={220} height={220} />;
}
