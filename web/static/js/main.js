/* All scripts of the application. Listeners of one event are asked in the order of these lines. */
import "./ready.js";
import "./requests.js";
import "./patience.js";
import "./find.js";
import "./keys.js";
import "./grid.js";
import "./rows.js";
import "./question.js";
import "./drag.js";
import "./axes.js";
import "./page.js";
import "./budget.js";
import "./day.js";
import "./sheet.js";
import "./entry/entry.js";
import "./formula.js";
import "./elevation.js";
