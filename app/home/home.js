import Alpine from "./vendor/alpine.js";
import { grow, menu } from "./parts.js";

Alpine.data("menu", menu);
Alpine.data("home", () => ({
  naming: false,
  find: "",
  nothing: false,
  open() {
    document.getElementById("newzone").value = Intl.DateTimeFormat().resolvedOptions().timeZone || "";
    this.naming = true;
    this.$nextTick(() => this.$refs.name.focus());
  },
  close() {
    this.naming = false;
    this.$nextTick(() => document.querySelector("[data-new]").focus());
  },
  filter() {
    const wanted = this.find.trim().toLowerCase();
    let left = 0;
    for (const row of document.querySelectorAll("tr[data-name]")) {
      row.hidden = !row.dataset.name.toLowerCase().includes(wanted);
      left += row.hidden ? 0 : 1;
    }
    this.nothing = left === 0;
  },
}));
grow(document);
Alpine.start();
