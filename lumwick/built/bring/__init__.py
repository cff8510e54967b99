"""Models brought in from elsewhere: files, folders and zips, taken over into one plain file each.

A place keeps one kind of model file besides OBJ, PLY and STL: a binary glTF 2.0 that needs nothing beside it and no
extension to be read (`plain.plain`). Whatever comes as several files, compressed, quantized or as USD is made into one
when it is brought in, so that everything after reads one format.
"""
