// What of the page is cut off, lies on something else, or sticks out sideways: measured from the boxes of its texts.
// Returns sentences; an empty list is a sound page.
const SLACK = 2; // pixels by which fonts differ
const found = [];
const told = (element) => {
  const words = element.textContent.trim().replace(/\s+/g, " ").slice(0, 50);
  const at = element.closest("[data-lane],[data-column],[data-finalist],[data-trial],section,header,footer,nav,aside,article");
  return `<${element.tagName.toLowerCase()}> "${words}" in ${at ? at.tagName.toLowerCase() + " " + (at.getAttribute("aria-label") ?? at.className).slice(0, 40) : "the page"}`;
};
const hidden = (style) => style.visibility === "hidden" || style.display === "none" || style.opacity === "0";

for (const box of [document.scrollingElement, document.querySelector("main")])
  if (box && box.scrollWidth > box.clientWidth + SLACK) found.push(`the page scrolls sideways by ${box.scrollWidth - box.clientWidth}`);

/** The part of a rectangle that its scrolling and cutting ancestors let through. */
function seen(rect, element) {
  let { left, top, right, bottom } = rect;
  for (let above = element; above && above !== document.body; above = above.parentElement) {
    const style = getComputedStyle(above);
    if (hidden(style)) return null;
    if (style.position === "fixed") break;
    if (style.overflowX === "visible" && style.overflowY === "visible") continue;
    const edge = above.getBoundingClientRect();
    left = Math.max(left, edge.left);
    right = Math.min(right, edge.right);
    top = Math.max(top, edge.top);
    bottom = Math.min(bottom, edge.bottom);
  }
  [left, top] = [Math.max(left, 0), Math.max(top, 0)];
  [right, bottom] = [Math.min(right, innerWidth), Math.min(bottom, innerHeight)];
  return right - left > SLACK && bottom - top > SLACK ? { left, top, right, bottom } : null;
}

const texts = [];
const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
for (let node = walker.nextNode(); node; node = walker.nextNode()) {
  const element = node.parentElement;
  if (!node.textContent.trim() || !element.checkVisibility({ opacityProperty: true, visibilityProperty: true })) continue;
  if (element.closest("script,style,noscript,option,svg,[aria-hidden=true],canvas")) continue;
  const range = document.createRange();
  range.selectNodeContents(node);
  for (const rect of range.getClientRects()) {
    const part = seen(rect, element);
    if (!part) continue;
    // Whoever lies on top by design (a drawer, a dialog, a head that stays) is asked for at the middle of what is seen.
    const top = document.elementFromPoint((part.left + part.right) / 2, (part.top + part.bottom) / 2);
    if (!top || (top !== element && !top.contains(element) && !element.contains(top))) {
      const over = top && top.closest("[data-inspector],[role=dialog],.MuiPopover-root,.MuiTooltip-popper,[data-stays],footer");
      const stays = top && [...parents(top)].some((one) => !one.contains(element) && ["sticky", "fixed"].includes(getComputedStyle(one).position));
      if (!over && !stays && top) found.push(`${told(element)} lies under ${told(top)}`);
      continue;
    }
    texts.push({ element, node, ...part });
  }
}
function* parents(element) {
  for (let one = element; one && one !== document.body; one = one.parentElement) yield one;
}

// Two texts that are seen at one place.
texts.sort((a, b) => a.top - b.top);
for (let i = 0; i < texts.length; i += 1)
  for (let j = i + 1; j < texts.length && texts[j].top < texts[i].bottom - SLACK; j += 1) {
    const [a, b] = [texts[i], texts[j]];
    if (a.node === b.node || a.element.contains(b.element) || b.element.contains(a.element)) continue;
    const across = Math.min(a.right, b.right) - Math.max(a.left, b.left);
    const down = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
    if (across > SLACK && down > 4) found.push(`${told(a.element)} lies on ${told(b.element)}`);
  }

// Text that is cut without saying so: no ellipsis, or no title that has the whole.
for (const element of document.body.querySelectorAll("*")) {
  const style = getComputedStyle(element);
  if (hidden(style) || element.closest("[aria-hidden=true],svg,textarea,select,.MuiTouchRipple-root")) continue;
  if (!["hidden", "clip"].includes(style.overflowX) || element.clientWidth < 8 || !element.textContent.trim()) continue;
  const wide = element.scrollWidth > element.clientWidth + SLACK;
  const high = element.scrollHeight > element.clientHeight + 6 && style.overflowY === "hidden";
  if (!wide && !high) continue;
  const ellipsis = style.textOverflow === "ellipsis" || style.webkitLineClamp !== "none";
  const title = element.closest("[title]") ?? element.querySelector("[title]");
  if (!ellipsis) found.push(`${told(element)} is cut off without an ellipsis`);
  else if (!title || !title.getAttribute("title")) found.push(`${told(element)} is shortened and nowhere told in full`);
}
return [...new Set(found)];
