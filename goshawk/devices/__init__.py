"""Where sound comes from: the simulated room, programs, files and the browser, behind one protocol.

All of these are stand-ins or sources inside the application; each fills blocks on request.
"""
