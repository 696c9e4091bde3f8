// The Verdicts room: everything in it is a control that edits at once.
import { Alpine } from "/assets/workbench.js";

Alpine.start();
