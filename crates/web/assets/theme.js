"use strict";(()=>{var t=localStorage.getItem("theme");(t==="light"||t==="dark")&&(document.documentElement.dataset.theme=t);document.documentElement.classList.add("with-script");})();
