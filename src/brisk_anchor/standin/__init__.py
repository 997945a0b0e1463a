"""The stand-in: a virtual machine shop of solids, a probe and a control that runs NC text."""
