// Numbers as people write them. A comma is the decimal sign of many languages and parts the thousands of others: it is read as the
// window's language means it, and where that leaves two readings the number is refused with both.

// commaIsDecimal tells what a comma is in a language.
export const commaIsDecimal = (language) => new Intl.NumberFormat(language).format(1.5).includes(",");

// readNumber reads a text: { n } is the number, 0 for nothing; { why } says what stands in the way.
export function readNumber(text, comma = commaIsDecimal(globalThis.navigator?.language)) {
  const typed = text
    .trim()
    .replace(/^\[(.*)\]$/, "$1")
    .trim();
  if (typed === "") return { n: 0 };
  const plain = typed.replace("−", "-");
  const bad = { why: `“${text.trim().slice(0, 30)}” isn’t a number. Type a number with up to 4 decimals.` };
  const two = /^([-+]?\d+),(\d+)$/.exec(plain);
  if (two && comma) return two[2].length > 4 ? bad : { n: Number(`${two[1]}.${two[2]}`) };
  if (two) return { why: `“${typed}” could mean ${two[1]}.${two[2]} or ${two[1]}${two[2]}. Type the one you mean.` };
  if (!/^[-+]?(\d+(\.\d{1,4})?|\.\d{1,4})$/.test(plain)) return bad;
  return Math.abs(Number(plain)) < 1e9 ? { n: Number(plain) } : bad;
}

// percent writes a share of 1 as the server's page.Percent does.
export function percent(share) {
  if (share < 1e-12) return "0%";
  if (share > 1 - 1e-9) return "100%";
  if (share < 0.0005) return "<0.1%";
  if (share > 0.9995) return ">99.9%";
  return (100 * share).toFixed(1).replace(/\.0$/, "") + "%";
}
