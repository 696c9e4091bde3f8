// Shows the events that the quiz within the page hands to it.
addEventListener("message", (event) => {
  if (event.data?.type !== "omphalos" || !event.data.event) return;
  const item = document.createElement("li");
  item.textContent = `${event.data.event}, outcome ${event.data.outcome}`;
  document.getElementById("events")?.append(item);
});

// The kit tells the page by events of the document.
for (const name of ["omphalos:begin", "omphalos:end"])
  document.addEventListener(name, ({ detail }) => {
    const item = document.createElement("li");
    item.textContent = `${name} ${JSON.stringify(detail)}`;
    document.getElementById("events")?.append(item);
  });
