/** `?` opens and closes the list of the page's keys. */
export function keys() {
  return {
    init() {
      document.addEventListener("keydown", (event) => {
        const typing = event.target instanceof HTMLElement && event.target.matches("input, textarea, select");
        const dialog = document.getElementById("keys");
        if (event.key === "?" && !typing && dialog instanceof HTMLDialogElement) {
          event.preventDefault();
          dialog.open ? dialog.close() : dialog.showModal();
        }
      });
    },
    show() {
      const dialog = document.getElementById("keys");
      if (dialog instanceof HTMLDialogElement) dialog.showModal();
    },
  };
}
