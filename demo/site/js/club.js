// The menu button, on every page.
oarlock(function () {
  oarlock(CLUB.menu).on("click", function () {
    oarlock("#menu").toggle("is-open");
  });
  document.documentElement.setAttribute("data-club", CLUB.name);
});
