namespace Pellicor
{
    public class Part
    {
        public Place Place = new Place();

        public virtual void Step(float seconds)
        {
        }
    }

    public sealed class Place
    {
        public float Scale = 1f;
    }
}
