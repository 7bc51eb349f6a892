"""One verdict on kick and bass, and how loud the bass may be: what every stage that speaks of the two reads."""
