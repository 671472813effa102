// What every page knows of the club.
var CLUB = {
  name: "Gull Point Rowing Club",
  menu: "#menu-button"
};
