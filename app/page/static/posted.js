// A page that answers a form becomes one that was asked for: Reload and Back never ask to send the form again.
history.replaceState(history.state, "", location.href);
