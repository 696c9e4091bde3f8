// Shows the events that the quiz within the page hands to it.
addEventListener("message", (event) => {
  if (event.data?.type !== "omphalos" || !event.data.event) return;
  const item = document.createElement("li");
  item.textContent = `${event.data.event}, outcome ${event.data.outcome}`;
  document.getElementById("events")?.append(item);
});
