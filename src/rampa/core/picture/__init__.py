"""Pictures of a title: reading a source picture safely, making the sets that platforms want."""
