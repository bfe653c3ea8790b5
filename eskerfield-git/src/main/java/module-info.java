// SPDX-License-Identifier: Apache-2.0
/** Site files as they were at a revision of a git repository. */
module org.eskerfield.git {
  requires transitive org.eskerfield.formats;
  requires org.eclipse.jgit;
  requires static transitive org.jspecify;

  exports org.eskerfield.git;
}
