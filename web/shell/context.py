def frame(request):
    return {}
