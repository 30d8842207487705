{
  "name": "Breakers",
  "version": "1.4.0",
  "hullmarkRelease": "5.0.0"
}
