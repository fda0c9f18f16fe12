/* Text of a spreadsheet as rows of cells: cells by tab, rows by line. */
export const isOfSpreadsheet = (text) => /[\t\n]/.test(text.trim());
export const cellsOf = (text) =>
  text
    .replace(/\r/g, "")
    .trimEnd()
    .split("\n")
    .map((line) => line.split("\t").map((cell) => cell.trim()));
