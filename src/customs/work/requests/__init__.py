"""What can be asked of an asset: take, evaluate, plan, press, dispatch, land. Frozen requests, typed answers.

The window and the command line ask alike; the command line's asset is a shipment of one that is never written
down.
"""
