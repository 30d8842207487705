{
  "name": "Foghorn",
  "version": "2.2.1",
  "hullmarkRelease": "5.0.0"
}
