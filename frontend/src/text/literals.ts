/** Finds user-visible texts in the page's code that do not come from the catalog. For its test alone. */

import ts from "typescript";

/** Attributes and fields whose text a user sees or hears. */
const SHOWN =
  /^(label|shortLabel|title|aria-(label|description|valuetext)|placeholder|alt|about|does|said|text|hint|name|unit)$/;
/** What never reaches a user: styles, paths, events, names of parts. */
const HIDDEN =
  /^(className|key|id|d|viewBox|href|path|style|font|type|role|follows|points|transform|fill|stroke|strokeLinecap|strokeLinejoin|accept|rel|target|download|page|at|look|value|kind|dash|colour|side|height|width|stage|feed|data-\w+)$/;
const UNITS =
  /\b(dB|dBFS|dBTP|LUFS|LU|Hz|kHz|ms|s|ppm|px|GB|MB|kB|EQ|MIDI|Opus|WAV|FLAC|CSV|goshawk|Goshawk)\b/g;

const hasWord = (text: string) => /\p{L}{2}/u.test(text.replace(UNITS, ""));
/** A sentence, or a word as it stands on a button. */
const isProse = (text: string) =>
  hasWord(text) &&
  /^[A-Z][a-z]+$|\p{L}{2,}[,:;.]? \p{L}|\p{L} …|… ?\p{L}/u.test(text.replace(UNITS, "").trim());
const isStyle = (text: string) =>
  /(^|\s)!?(-?[a-z]+(-[a-z0-9[\]().,/%#]+)+|flex|grid|block|underline|truncate|relative|absolute|fixed)!?(\s|$)/.test(
    text,
  );

type Found = { line: number; text: string };

function nameOf(node: ts.Node): string {
  if (ts.isJsxAttribute(node) || ts.isPropertyAssignment(node)) return node.name.getText();
  return "";
}

/** Whether a text in this place is shown: walks outwards to the first place that says so. */
function placeOf(node: ts.Node): "shown" | "hidden" | "open" {
  for (let at = node; at.parent; at = at.parent) {
    const { parent } = at;
    if (
      ts.isImportDeclaration(parent) ||
      ts.isExportDeclaration(parent) ||
      ts.isLiteralTypeNode(parent) ||
      ts.isTypeNode(parent) ||
      ts.isCaseClause(parent) ||
      ts.isElementAccessExpression(parent) ||
      (ts.isPropertyAssignment(parent) && parent.name === at)
    ) {
      return "hidden";
    }
    if (ts.isBinaryExpression(parent) && /^[!=]==?$|^in$/.test(parent.operatorToken.getText())) {
      return "hidden";
    }
    const name = nameOf(parent);
    if (HIDDEN.test(name)) return "hidden";
    if (SHOWN.test(name)) return "shown";
    if (ts.isConditionalExpression(parent) && parent.condition === at) return "hidden";
    if (ts.isJsxExpression(parent) && !ts.isJsxAttribute(parent.parent)) return "shown";
    if (ts.isCallExpression(parent)) {
      const callee = parent.expression.getText().split(".").at(-1) ?? "";
      if (/^(say|speak|fillText|levelLine|speakWhen|speakWhenHeard)$/.test(callee)) return "open";
      return /^(t|colour|useSetting|querySelector|closest|ask|setSetting|trySetting|setTogether|RegExp)$/.test(
        callee,
      )
        ? "hidden"
        : "open";
    }
    if (ts.isBlock(parent) || ts.isSourceFile(parent)) return "open";
  }
  return "open";
}

/** Every text in a source file that a user may see and that is not in the catalog. */
export function literalsIn(fileName: string, source: string): Found[] {
  const file = ts.createSourceFile(
    fileName,
    source,
    ts.ScriptTarget.Latest,
    true,
    ts.ScriptKind.TSX,
  );
  const found: Found[] = [];
  const add = (node: ts.Node, text: string) => {
    found.push({ line: file.getLineAndCharacterOfPosition(node.getStart()).line + 1, text });
  };
  const look = (node: ts.Node) => {
    if (ts.isJsxText(node)) {
      if (hasWord(node.text)) add(node, node.text.trim());
    } else if (ts.isStringLiteralLike(node) || ts.isTemplateExpression(node)) {
      const text = ts.isTemplateExpression(node)
        ? [node.head.text, ...node.templateSpans.map(({ literal }) => literal.text)].join(" 1 ")
        : node.text;
      const place = placeOf(node);
      const isPath =
        /[a-z_]+[./:][a-z_]+|^\/|^[.[#]|^[a-z]+_[a-z_0-9]+$/.test(text.trim()) &&
        !/ \p{L}/u.test(text);
      // Fonts and media queries are no texts.
      if (/^\d+px |^\(/.test(text)) return;
      if (place === "shown" && hasWord(text) && !isPath) add(node, text);
      if (place === "open" && isProse(text) && !isStyle(text) && !isPath) add(node, text);
    }
    ts.forEachChild(node, look);
  };
  look(file);
  return found;
}
