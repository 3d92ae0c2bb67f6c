"""What devices report of a build, compared with the build before."""
