/** Counts a text as a storefront does: the service counts alike (core/listing/length.py). */
export type Counting = "graphemes" | "code-points" | "utf16-units" | "bytes";

const segments = new Intl.Segmenter(undefined, { granularity: "grapheme" });

export function count(text: string, counting: Counting): number {
  switch (counting) {
    case "graphemes":
      return [...segments.segment(text)].length;
    case "code-points":
      return [...text].length;
    case "utf16-units":
      return text.length;
    case "bytes":
      return new TextEncoder().encode(text).length;
  }
}
