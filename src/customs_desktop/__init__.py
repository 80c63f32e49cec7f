"""The Qt application. It holds no computation: wishes become stops' settings, answers of the core are
shown.
"""
