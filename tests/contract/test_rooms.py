"""How the program is built: no two modules know each other, be it by another's way or when they first run."""

import grimp


def test_no_module_is_known_by_what_it_knows() -> None:
    graph = grimp.build_graph("zincplate", cache_dir=None)
    # a module that is started by itself may import itself under its own name
    left = {module: set(graph.find_modules_directly_imported_by(module)) - {module} for module in graph.modules}
    # those that know nothing any more are taken away until none is left (Kahn 1962); what stays goes round
    while free := {module for module, known in left.items() if not known}:
        left = {module: known - free for module, known in left.items() if module not in free}
    assert not left, sorted(left)
