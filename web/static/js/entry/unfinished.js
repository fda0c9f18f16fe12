/* What was keyed and not yet sent when the server did not take it, kept in this tab for the same person and
   company. */
import { table } from "./lines.js";

const place = () => `unfinished ${table().dataset.person} ${table().dataset.post}`;

export const keepUnfinished = (journal) => sessionStorage.setItem(place(), JSON.stringify(journal));
export const forgetUnfinished = () => sessionStorage.removeItem(place());
/* The journal that was kept, once; null where there is none. */
export const takeUnfinished = () => {
  const text = sessionStorage.getItem(place());
  forgetUnfinished();
  return text && JSON.parse(text);
};
